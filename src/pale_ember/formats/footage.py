"""Reference footage: a picture, a sheet, a clip or a folder of frames, with when each frame is seen."""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image, ImageSequence

from pale_ember.core.effect.stage import Reference
from pale_ember.core.preloading import extra
from pale_ember.core.texture.light import to_coded
from pale_ember.formats.files import open_regular
from pale_ember.formats.frame_import import FILMS, in_order
from pale_ember.formats.pictures import KINDS, MOST_PIXELS, PictureError, read_picture

RATE = 30.0
"""Frames a second of a folder or a sheet, which do not say."""
MOST_SECONDS, MOST_FRAMES = 60.0, 3600
_WIDEST = 960
"""Pixels across a frame that is kept; larger ones are reduced."""
_RAW = 192 * 2**20
"""Bytes of frames that are kept as they are; more are kept packed."""
_SMALL = 160, 90
"""Pixels in which a frame is measured, as the effect is."""
_QUALITY = 90
_MEASURED = 90
"""Frames of a length that are measured, at most."""


@dataclass(slots=True, eq=False)
class Footage:
    """Frames in order. times : (n,) s when each begins. length : s, of all. cut : what of it was left out, in a sentence."""

    name: str
    times: np.ndarray
    length: float
    cut: str
    _frames: list[np.ndarray | bytes]
    _shape: tuple[int, int] | None = None

    def __len__(self) -> int:
        return len(self._frames)

    def frame(self, index: int) -> np.ndarray:
        """(h, w, 3 or 4) uint8, coded."""
        kept = self._frames[index]
        return np.asarray(Image.open(io.BytesIO(kept))) if isinstance(kept, bytes) else kept

    @property
    def shape(self) -> tuple[int, int]:
        """Height and width of its first frame."""
        if self._shape is None:
            self._shape = self.frame(0).shape[:2]
        return self._shape

    def at(self, time: float) -> int:
        """Which frame is seen at a moment, s; before the first and after the last these."""
        return int(np.clip(np.searchsorted(self.times, time + 1e-6, side="right") - 1, 0, len(self) - 1))

    def ends(self, how: Reference) -> float:
        """Where in it the part that is shown ends, s."""
        return min(how.last, self.length) if how.last > how.first else self.length

    def seen_at(self, time: float, how: Reference, loop: float = 0.0) -> int:
        """Which frame is seen at a moment of an effect, s. loop : how long the effect is until it begins anew, s; 0 for never."""
        if loop > 0:
            time %= loop
        return self.at(min(how.first + max(time - how.offset, 0.0) * how.tempo, self.ends(how)))

    def stretch(self, seconds: float, how: Reference) -> tuple[list[np.ndarray], np.ndarray, float]:
        """What is seen of it beside an effect that lasts so many seconds: frames as they are measured, the moment of the effect at which
        each is seen (n,) s, and until when. A single picture is seen all the time."""
        last = min(seconds, how.offset + max(self.ends(how) - how.first, 0.0) / how.tempo) if len(self) > 1 else seconds
        begin = min(max(how.offset, 0.0), last)
        count = int(np.clip(round((last - begin) * RATE), 2, _MEASURED))
        times = begin + (np.arange(count) + 0.5) / count * (last - begin)
        return [in_frame(self.frame(self.seen_at(float(at), how)), *_SMALL, how.place, how.scale) for at in times], times, last


def in_frame(frame: np.ndarray, width: int, height: int, place: tuple[float, float] = (0.0, 0.0), scale: float = 1.0) -> np.ndarray:
    """(height, width, 3) uint8 a picture (h, w, 3 or 4) in the middle of another: over black, as high as that, beside it the colour of
    its own sides. place : how far right and up, in heights. scale : how much larger."""
    image = Image.fromarray(frame)
    if image.mode == "RGBA":
        image = Image.alpha_composite(Image.new("RGBA", image.size, (0, 0, 0, 255)), image)
    image = image.convert("RGB")
    left, top, wide, high = placed(image.width, image.height, width, height, place, scale)
    corner = tuple(int(part) for part in np.median(np.asarray(image)[:, [0, -1]].reshape(-1, 3), axis=0))
    whole = Image.new("RGB", (width, height), corner)
    size = max(round(wide), 1), max(round(high), 1)
    filtering = Image.Resampling.BOX if size[1] < image.height else Image.Resampling.BILINEAR
    whole.paste(image.resize(size, filtering), (round(left), round(top)))
    return np.asarray(whole)


def placed(
    wide: int, high: int, width: float, height: float, place: tuple[float, float] = (0.0, 0.0), scale: float = 1.0
) -> tuple[float, float, float, float]:
    """Where a picture of a size lies in another, as high as that: left, top, width, height."""
    tall = height * scale
    across = tall * wide / max(high, 1)
    return (width - across) / 2 + place[0] * height, (height - tall) / 2 - place[1] * height, across, tall


def read_footage(path: Path, columns: int = 1, rows: int = 1) -> Footage:
    """Reads a file, or the pictures of a folder. columns, rows : of a sheet. Raises PictureError with one sentence."""
    cut = ""
    frames: list[np.ndarray | bytes] = []
    times: list[float] = []
    room = 0
    length = 0.0
    for frame, begin, lasts in _frames_of(path, columns, rows):
        if begin >= MOST_SECONDS or len(frames) >= MOST_FRAMES:
            cut = f"{path.name}: longer than {MOST_SECONDS:g} s or {MOST_FRAMES} frames; only so much of it is taken"
            break
        small = _reduced(frame)
        room += small.nbytes
        frames.append(small if room <= _RAW else _packed(small))
        times.append(begin)
        length = begin + lasts
    if not frames:
        raise PictureError(f"{path.name}: expected footage with frames, found none; export it again")
    if len(frames) == 1:
        length = 0.0
    return Footage(path.name, np.array(times), length, cut, frames)


def _frames_of(path: Path, columns: int, rows: int) -> Iterator[tuple[np.ndarray, float, float]]:
    """(frame, when it begins, how long it lasts) one after the other."""
    kind = path.suffix.lower()
    try:
        if path.is_dir():
            yield from _of_folder(path)
        elif kind in (".gif", ".apng") or (kind in (".webp", ".png") and columns * rows == 1 and _moves(path)):
            yield from _of_pictures(path)
        elif kind in FILMS:
            yield from _of_film(path)
        elif kind in KINDS or kind in (".jpg", ".jpeg"):
            yield from _of_sheet(path, columns, rows)
        else:
            known = ", ".join(sorted({*KINDS, ".jpg", *FILMS}))
            raise PictureError(
                f"{path.name}: expected a picture or a clip ({known}) or a folder of pictures, found {kind or 'no ending'}; choose one"
            )
    except PictureError:
        raise
    except FileNotFoundError:
        raise PictureError(f"{path.name}: expected footage, found no such file; check the name") from None
    except Exception as error:  # noqa: BLE001 - the libraries raise whatever their parsers meet
        said = str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
        raise PictureError(f"{path.name}: not footage that can be read ({said}); export it again") from None


def _moves(path: Path) -> bool:
    with open_regular(path) as file, Image.open(file) as image:
        return getattr(image, "n_frames", 1) > 1


def _of_pictures(path: Path) -> Iterator[tuple[np.ndarray, float, float]]:
    begin = 0.0
    with open_regular(path) as file, Image.open(file) as image:
        _small_enough(path, image.width, image.height)
        for each in ImageSequence.Iterator(image):
            frame = np.asarray(each.convert("RGBA"))  # first: some tell how long it lasts only when it has been read
            lasts = max(float(each.info.get("duration", 1000 / RATE)) / 1000, 0.001)
            yield frame, begin, lasts
            begin += lasts


def _of_film(path: Path) -> Iterator[tuple[np.ndarray, float, float]]:
    extra("av", "video", "reading a film")
    import av

    with open_regular(path) as file, av.open(file, "r") as film:
        if not film.streams.video:
            raise PictureError(f"{path.name}: expected a clip with pictures, found none; export it again")
        stream = film.streams.video[0]
        _small_enough(path, stream.codec_context.width, stream.codec_context.height)
        rate = float(stream.average_rate or RATE)
        first: float | None = None
        for k, frame in enumerate(film.decode(stream)):
            begin = k / rate if frame.time is None else float(frame.time)
            first = begin if first is None else first
            share = min(_WIDEST / frame.width, 1.0)
            # Taken smaller by the decoder itself: whole frames would take too much room.
            picture = frame.reformat(max(round(frame.width * share), 1), max(round(frame.height * share), 1), "rgb24")
            yield picture.to_ndarray(), begin - first, 1 / rate


def _of_sheet(path: Path, columns: int, rows: int) -> Iterator[tuple[np.ndarray, float, float]]:
    if path.suffix.lower() in (".jpg", ".jpeg"):
        with open_regular(path) as file, Image.open(file) as image:
            _small_enough(path, image.width, image.height)
            whole = np.asarray(image.convert("RGB"))
    else:
        light = read_picture(path)
        whole = np.round(np.clip(np.concatenate([to_coded(np.clip(light[..., :3], 0, 1)), light[..., 3:]], axis=2), 0, 1) * 255).astype(
            np.uint8
        )
    height, width = whole.shape[0] // rows, whole.shape[1] // columns
    if height < 1 or width < 1:
        raise PictureError(
            f"{path.name}: {columns} × {rows} frames do not fit into {whole.shape[1]} × {whole.shape[0]} pixels; tell fewer"
        )
    for k in range(columns * rows):
        row, column = divmod(k, columns)
        yield whole[row * height : (row + 1) * height, column * width : (column + 1) * width], k / RATE, 1 / RATE


def _of_folder(path: Path) -> Iterator[tuple[np.ndarray, float, float]]:
    names = in_order([each for each in path.iterdir() if each.suffix.lower() in (*KINDS, ".jpg", ".jpeg")])
    for k, each in enumerate(names):
        frame, _, lasts = next(_of_sheet(each, 1, 1))
        yield frame, k / RATE, lasts


def _small_enough(path: Path, width: int, height: int) -> None:
    if width * height > MOST_PIXELS:
        raise PictureError(f"{path.name}: {width} × {height} pixels, more than there is room for; make it smaller")


def _reduced(frame: np.ndarray) -> np.ndarray:
    height, width = frame.shape[:2]
    if width <= _WIDEST:
        return np.ascontiguousarray(frame)
    size = _WIDEST, max(round(height * _WIDEST / width), 1)
    return np.asarray(Image.fromarray(frame).resize(size, Image.Resampling.BOX))


def _packed(frame: np.ndarray) -> bytes:
    out = io.BytesIO()
    kind = "WEBP" if frame.shape[2] == 4 else "JPEG"
    Image.fromarray(frame).save(out, kind, quality=_QUALITY)
    return out.getvalue()
