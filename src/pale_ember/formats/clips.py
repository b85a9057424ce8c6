"""Clips: frames one after the other, as animated PNG and WebP, MP4 and WebM."""

from __future__ import annotations

import io
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from pale_ember.core.preloading import extra

KINDS = (".png", ".webp", ".mp4", ".webm")
CLEAR = (".png", ".webp", ".webm")
"""Those that hold what is clear as well."""
FILMS = (".mp4", ".webm")
"""Those whose frames have an even number of pixels along both sides; an odd row or column is left out."""


class ClipError(Exception):
    """A clip that cannot be made; the message says why and what to do."""


def clip_bytes(frames: Iterable[np.ndarray], fps: float, kind: str, *, loops: bool = True) -> bytes:
    """A clip of frames (h, w, 4) uint8, coded sRGB, straight alpha. kind : one of KINDS. loops : whether it is played over and
    over, where the format can say so. Raises ClipError."""
    if kind in (".png", ".webp"):
        return _pictures(frames, fps, kind, loops)
    return _film(frames, fps, kind)


def _pictures(frames: Iterable[np.ndarray], fps: float, kind: str, loops: bool) -> bytes:
    store = io.BytesIO()
    pictures = [Image.fromarray(frame, "RGBA") for frame in frames]
    if not pictures:
        raise ClipError("clip: expected at least one frame, found none; choose a longer span")
    first, *rest = pictures
    told = {"save_all": True, "append_images": rest, "duration": 1000 / fps, "loop": 0 if loops else 1}
    if kind == ".png":
        # Every frame stands for itself: none is laid over the one before.
        first.save(store, "PNG", **told, disposal=1, blend=0)
    else:
        first.save(store, "WEBP", **told, lossless=False, quality=88, method=4)
    return store.getvalue()


def _film(frames: Iterable[np.ndarray], fps: float, kind: str) -> bytes:
    # Half a second to import, so only where a film is made.
    extra("av", "video", "a film")
    import av
    from av.video.reformatter import ColorRange, Colorspace

    clear = kind in CLEAR
    codec, plane = ("libvpx-vp9", "yuva420p") if kind == ".webm" else ("libx264", "yuv420p")
    store = io.BytesIO()
    count = 0
    with av.open(store, "w", format=kind[1:]) as film:
        track: Any = film.add_stream(codec, rate=max(round(fps), 1))
        track.pix_fmt = plane
        track.options = {"crf": "18", **({"b": "0", "cpu-used": "4"} if kind == ".webm" else {})}
        for pixels in frames:
            even = _even(pixels if clear else _over_black(pixels))
            if count == 0:
                track.width, track.height = even.shape[1], even.shape[0]
            picture = av.VideoFrame.from_ndarray(even, format="rgba")
            picture = picture.reformat(format=plane, dst_colorspace=Colorspace.ITU709, dst_color_range=ColorRange.MPEG)
            for packet in track.encode(picture):
                film.mux(packet)
            count += 1
        if count:
            for packet in track.encode():
                film.mux(packet)
    if not count:
        raise ClipError("clip: expected at least one frame, found none; choose a longer span")
    return store.getvalue()


def _over_black(pixels: np.ndarray) -> np.ndarray:
    """A frame whose light is what shows over black."""
    over = pixels.copy()
    over[..., :3] = (pixels[..., :3].astype(np.uint16) * pixels[..., 3:] // 255).astype(np.uint8)
    over[..., 3] = 255
    return over


def kept_size(kind: str, size: tuple[int, int]) -> tuple[int, int]:
    """Pixels along both sides of frames as a clip of a kind holds them."""
    wide, tall = size
    return (max(wide & ~1, 2), max(tall & ~1, 2)) if kind in FILMS else size


def _even(pixels: np.ndarray) -> np.ndarray:
    """A frame as films need it."""
    wide, tall = kept_size(FILMS[0], (pixels.shape[1], pixels.shape[0]))
    return np.ascontiguousarray(pixels[:tall, :wide])


def kind_of(path: Path) -> str:
    """The kind of clip that a file's name asks for. Raises ClipError."""
    kind = path.suffix.lower()
    if kind not in KINDS:
        raise ClipError(f"{path.name}: expected a name that ends in {', '.join(KINDS)}, found {kind or 'no ending'}; choose another")
    return kind


def moments_of(first: float, last: float, fps: float) -> list[float]:
    """The moment of each frame of a clip, s; the last lies one frame before the end, where a loop begins."""
    count = max(round((last - first) * fps), 1)
    return [first + i / fps for i in range(count)]
