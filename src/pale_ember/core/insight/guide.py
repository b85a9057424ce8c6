"""The user guide as what can be found in it: its headings, and the rows of its tables."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

_MARKS = re.compile(r"\*\*|`|(?<!\w)\*(?=\S)|(?<=\S)\*(?!\w)|\[([^]]*)\]\([^)]*\)")
_PICTURE = re.compile(r"^!\[[^]]*\]\([^)]*\)\n?", re.MULTILINE)


@dataclass(frozen=True, slots=True)
class GuideEntry:
    """Something that the guide tells. title : a heading, or the first cell of a row. heading : what it stands under.
    text : what is told of it, in plain words."""

    title: str
    heading: str
    text: str


def without_pictures(guide: str) -> str:
    """The guide's text without its pictures."""
    return _PICTURE.sub("", guide)


def plain_words(text: str) -> str:
    """A line of Markdown without its marks."""
    return _MARKS.sub(lambda match: match[1] or "", text).strip()


def told_in(guide: str) -> Iterator[GuideEntry]:
    """All that a guide in Markdown tells: each heading with the text below it, then each row of its tables."""
    for section in re.split(r"^#{2,} ", without_pictures(guide), flags=re.MULTILINE)[1:]:
        heading, _, body = section.partition("\n")
        rows = [line for line in body.splitlines() if line.startswith("|")]
        prose = " ".join(line for line in body.splitlines() if line and not line.startswith("|"))
        yield GuideEntry(heading, heading, plain_words(prose))
        for row in rows[2:]:
            first, *rest = (plain_words(cell) for cell in row.strip("| ").split(" | "))
            if first and rest:
                yield GuideEntry(first, heading, "; ".join(cell for cell in rest if cell))
