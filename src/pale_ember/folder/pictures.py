"""The pictures and meshes of a folder: who uses them, which are alike, which nobody uses, what they take."""

from __future__ import annotations

import hashlib
from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

from PIL import Image

from pale_ember.core.insight.layer_costs import with_mips
from pale_ember.core.texture.library import PREFIX
from pale_ember.folder.listing import EffectCard, files_in
from pale_ember.formats.meshes import KINDS as MESHES
from pale_ember.formats.pictures import KINDS as PICTURES
from pale_ember.formats.pictures import PictureError, library_picture, read_picture


@dataclass(frozen=True, slots=True)
class FileCard:
    """What is known of a file. name : its path below the folder. wide, tall : pixels, 0 where it is no picture. used : the names of the
    effects that use it. twins : other files that hold the same. fault : why it cannot be read."""

    name: str
    size: int = 0
    wide: int = 0
    tall: int = 0
    used: tuple[str, ...] = ()
    twins: tuple[str, ...] = ()
    fault: str = ""

    @property
    def memory(self) -> int:
        """Bytes as a texture with its smaller sizes, unpacked."""
        return with_mips(self.tall, self.wide) if self.wide else 0

    @property
    def is_picture(self) -> bool:
        """Whether it is a picture, not a mesh."""
        return self.ships or self.name.lower().endswith(PICTURES)

    @property
    def ships(self) -> bool:
        """Whether it is one of the library, and no file of the folder."""
        return self.name.startswith(PREFIX)


def pictures_in(
    folder: Path, cards: Iterable[EffectCard], known: Mapping[str, tuple[object, FileCard]]
) -> dict[str, tuple[object, FileCard]]:
    """Every picture and mesh of a folder with what changes when it does, by name. known : what was found before: only what changed since
    is read again."""
    cards = list(cards)
    users: dict[str, list[str]] = defaultdict(list)
    for card in cards:
        for name in card.files:
            users[name].append(card.name)
    stamps: dict[str, object] = {}
    sizes: dict[int, list[str]] = defaultdict(list)
    for name in files_in(folder, (*PICTURES, *MESHES)):
        try:
            told = (folder / name).stat()
        except OSError:
            continue
        stamps[name] = (told.st_mtime_ns, told.st_size)
        sizes[told.st_size].append(name)
    alike = _twins(folder, sizes)
    found: dict[str, tuple[object, FileCard]] = {}
    for name, stamp in stamps.items():
        before = known.get(name)
        size = stamp[1]  # type: ignore[index]
        wide, tall, fault = (
            _measured(folder / name) if before is None or before[0] != stamp else (before[1].wide, before[1].tall, before[1].fault)
        )
        twins = tuple(other for other in alike.get(name, ()) if other != name)
        around = [user for above in Path(name).parents for user in users.get(above.as_posix(), ())]  # a folder of frames is used as one
        found[name] = stamp, FileCard(name, size, wide, tall, (*users.get(name, ()), *around), twins, fault)
    found = dict(sorted(found.items()))
    for name, names in users.items():
        if name not in found and not (folder / name).is_dir():
            fault = f"{name}: expected a file, found none; {names[0]} uses it"
            found[name] = None, FileCard(name, used=tuple(names), fault=fault)
    worn: dict[str, list[str]] = defaultdict(list)
    for card in cards:
        for name in card.library:
            worn[name].append(card.name)
    for name, names in sorted(worn.items()):
        high, wide = library_picture(name.removeprefix(PREFIX)).shape[:2]
        found[name] = None, FileCard(name, 0, wide, high, tuple(names))
    return found


def _twins(folder: Path, sizes: Mapping[int, list[str]]) -> dict[str, tuple[str, ...]]:
    """Files that hold the same, by name; only files of one size are read."""
    found: dict[str, tuple[str, ...]] = {}
    for names in sizes.values():
        if len(names) < 2:
            continue
        by_content: dict[str, list[str]] = defaultdict(list)
        for name in names:
            try:
                with (folder / name).open("rb") as file:
                    by_content[hashlib.file_digest(file, "sha256").hexdigest()].append(name)
            except OSError:
                continue
        for alike in by_content.values():
            if len(alike) > 1:
                found |= dict.fromkeys(alike, tuple(alike))
    return found


def _measured(path: Path) -> tuple[int, int, str]:
    """Pixels across and down, and why it cannot be read; a mesh has none."""
    if not path.name.lower().endswith(PICTURES):
        return 0, 0, ""
    try:
        if path.suffix.lower() in (".exr", ".dds"):
            pixels = read_picture(path)
            return pixels.shape[1], pixels.shape[0], ""
        with Image.open(path) as picture:
            return *picture.size, ""
    except (OSError, ValueError, PictureError, Image.DecompressionBombError) as fault:
        return 0, 0, f"{path.name}: expected a picture that can be read ({fault})"
