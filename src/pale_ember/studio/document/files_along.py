"""A document that is saved into another folder takes its pictures and meshes along."""

from __future__ import annotations

import filecmp
import shutil
from pathlib import Path

from pale_ember.core.effect.files import files_beside
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.renaming import with_file_named


def files_along(effect: Effect, before: Path | None, after: Path) -> Effect:
    """Copies what an effect reads beside itself into another folder; the effect as it reads there. A file of the same name that is there
    already and differs stays: ours gets another name. Raises OSError."""
    if before is None or before.resolve() == after.resolve():
        return effect
    for name in files_beside(effect):
        path = Path(name)
        if not path.is_absolute() and (before / path).is_file():
            # What lies above comes to lie beside: nothing is written outside of the folder that was chosen.
            there = copied(before / path, after / (path.name if ".." in path.parts else path)).relative_to(after).as_posix()
            effect = with_file_named(effect, name, there) if there != name else effect
    return effect


def copied(file: Path, there: Path) -> Path:
    """Where a file lies after it was copied to a place, under another name where another has its own. Raises OSError."""
    if there.exists() and filecmp.cmp(file, there, shallow=False):
        return there
    if there.exists():
        taken = {present.name for present in there.parent.iterdir()}
        there = there.with_name(next(name for i in range(2, len(taken) + 3) if (name := f"{there.stem}-{i}{there.suffix}") not in taken))
    there.parent.mkdir(parents=True, exist_ok=True)
    shutil.copyfile(file, there)
    return there
