"""`pale page`: effects as one file that a browser opens, with no network and no server."""

from __future__ import annotations

import argparse
from pathlib import Path

from pale_ember.arguments import DONE
from pale_ember.commands.common import Refused, read, writable, write


def page(asked: argparse.Namespace) -> int:
    """Writes the page of a document, or a gallery of all documents of a folder."""
    from pale_ember.rehearsal.pages import gallery_of

    writable(asked.out)
    sources = [asked.file]
    if asked.file.is_dir():
        sources = sorted(asked.file.glob("*.pale"))
        if not sources:
            raise Refused(f"{asked.file}: expected documents (.pale), found none; choose another folder")
    pages = [_page(source) for source in sources]
    made = gallery_of(asked.file.resolve().name, pages) if asked.file.is_dir() else pages[0][1]
    write(asked.out, made)
    print(f"{asked.out}: {len(made) / 2**20:.1f} MB, {len(pages)} effect{'s' if len(pages) > 1 else ''}")
    return DONE


def _page(source: Path) -> tuple[str, bytes]:
    from pale_ember.formats.handover.runtime import PackageError
    from pale_ember.rehearsal.pages import page_of

    effect, shelf = read(source)
    try:
        return effect.name, page_of(effect, shelf)
    except PackageError as fault:
        raise Refused(f"{source}: {fault}") from None
