"""Frames from a row of files, or from a clip, laid into one sheet."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
from PIL import Image, ImageSequence

from pale_ember.core.preloading import extra
from pale_ember.core.texture.mips import fitted
from pale_ember.core.texture.sheet import best_columns
from pale_ember.formats.files import MOST_ROOM, open_regular, room_told
from pale_ember.formats.pictures import KINDS, MOST_PIXELS, PictureError, linear, read_picture

FILMS = (".mp4", ".webm", ".mov", ".gif", ".apng")
MOST_FRAMES = 256
_MOST_SIDE = 1024


def in_order(paths: Sequence[Path]) -> list[Path]:
    """Files as one counts them: puff-2 before puff-10."""
    return sorted(paths, key=lambda path: [int(part) if part.isdigit() else part for part in re.split(r"(\d+)", path.name)])


def frames_in(paths: Sequence[Path], wanted: Callable[[int], bool] = lambda done: True) -> list[np.ndarray]:
    """(h, w, 4) float32, linear and straight, of each file, or of each frame of a clip. Raises PictureError."""
    if len(paths) == 1 and paths[0].suffix.lower() in FILMS:
        return _film(paths[0], wanted)
    strange = next((path for path in paths if path.suffix.lower() not in KINDS), None)
    if strange is not None:
        raise PictureError(f"{strange.name}: expected pictures ({', '.join(KINDS)}) or one clip ({', '.join(FILMS)}); choose those")
    if len(paths) > MOST_FRAMES:
        raise PictureError(f"{len(paths)} files: at most {MOST_FRAMES} frames fit a sheet; choose fewer")
    frames = []
    for done, path in enumerate(in_order(paths)):
        if not wanted(done):
            return []
        frames.append(read_picture(path))
        _in_room(path.name, sum(frame.shape[0] * frame.shape[1] for frame in frames))
    return frames


def _film(path: Path, wanted: Callable[[int], bool]) -> list[np.ndarray]:
    try:
        codes = list(_still_frames(path) if path.suffix.lower() in (".gif", ".apng") else _moving_frames(path, wanted))
    except PictureError:
        raise
    except Exception as error:  # noqa: BLE001 - the libraries raise whatever their parsers meet
        said = str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
        raise PictureError(f"{path.name}: not a clip that can be read ({said}); export it again") from None
    if not codes:
        raise PictureError(f"{path.name}: expected a clip with frames, found none; export it again")
    return [linear(each) for each in codes]


def _still_frames(path: Path) -> list[np.ndarray]:
    with open_regular(path) as file, Image.open(file) as image:
        _within(path, image.width, image.height, getattr(image, "n_frames", 1))
        return [np.asarray(frame.convert("RGBA")) for frame in ImageSequence.Iterator(image)]


def _moving_frames(path: Path, wanted: Callable[[int], bool]) -> list[np.ndarray]:
    extra("av", "video", "reading a film")
    import av

    frames: list[np.ndarray] = []
    with open_regular(path) as file, av.open(file, "r") as film:
        for frame in film.decode(video=0):
            _within(path, frame.width, frame.height, len(frames) + 1)
            if not wanted(len(frames)):
                return []
            frames.append(frame.to_ndarray(format="rgba"))
    return frames


def _within(path: Path, width: int, height: int, count: int) -> None:
    if count > MOST_FRAMES:
        raise PictureError(f"{path.name}: more than {MOST_FRAMES} frames; cut it shorter, or take every second one")
    _in_room(path.name, width * height * count)


def _in_room(name: str, pixels: int) -> None:
    """Raises PictureError where that many pixels of all frames together are more than there is room for."""
    if pixels > MOST_PIXELS:
        told = f"its frames would take {room_told(16 * pixels)}"
        raise PictureError(f"{name}: {told}, at most {room_told(MOST_ROOM)}; take fewer or smaller ones")


def laid(frames: Sequence[np.ndarray]) -> tuple[np.ndarray, int]:
    """A sheet (h, w, 4) of frames, each in a square of the same size, and how many lie side by side."""
    side = min(max(max(frame.shape[:2]) for frame in frames), _MOST_SIDE)
    columns = best_columns(len(frames), side)
    while columns * side * -(-len(frames) // columns) * side > MOST_PIXELS:
        side //= 2
    sheet = np.zeros((-(-len(frames) // columns) * side, columns * side, 4), np.float32)
    for k, frame in enumerate(frames):
        tall, wide = frame.shape[:2]
        share = side / max(tall, wide)
        tall, wide = max(round(tall * share), 1), max(round(wide * share), 1)
        row, column = divmod(k, columns)
        top, left = row * side + (side - tall) // 2, column * side + (side - wide) // 2
        sheet[top : top + tall, left : left + wide] = fitted(frame, wide, tall)
    return sheet, columns
