"""A document that is saved into another folder takes its pictures and meshes along."""

from __future__ import annotations

import filecmp
import shutil
from pathlib import Path

from pale_ember.core.effect.edit import free_name
from pale_ember.core.effect.files import files_beside
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.renaming import with_file_named


def files_along(effect: Effect, before: Path | None, after: Path) -> Effect:
    """Copies what an effect reads beside itself into another folder; the effect as it reads there. A file of the same name that is there
    already and differs stays: ours gets another name. Raises OSError."""
    if before is None or before.resolve() == after.resolve():
        return effect
    for name in files_beside(effect):
        ours, there = before / name, after / name
        if not ours.is_file() or (there.exists() and filecmp.cmp(ours, there, shallow=False)):
            continue
        if there.exists():
            there = there.with_name(free_name(there.stem, [each.stem for each in there.parent.iterdir()]) + there.suffix)
            effect = with_file_named(effect, name, there.relative_to(after).as_posix())
        there.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(ours, there)
    return effect
