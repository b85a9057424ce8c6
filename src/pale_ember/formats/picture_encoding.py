"""Pictures on their way to disk, in whatever format is asked for."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

from pale_ember.core.texture.blocks import best_format
from pale_ember.core.texture.formats import Format
from pale_ember.core.texture.light import to_coded
from pale_ember.formats.handover.textures import PictureUse, exr_bytes, packed_texture
from pale_ember.formats.pictures import PictureError

ENDINGS = (".png", ".tga", ".webp", ".exr", ".dds")
"""Formats that are written; EXR alone holds light brighter than white."""


def codes_of(pixels: np.ndarray) -> np.ndarray:
    """(h, w, 4) uint8, sRGB codes and cover, of (h, w, 4) float32, linear and straight."""
    coded = np.concatenate([to_coded(pixels[..., :3]), np.clip(pixels[..., 3:], 0, 1)], axis=2)
    return np.round(coded * 255).astype(np.uint8)


def picture_bytes(pixels: np.ndarray, ending: str, kind: str = "best") -> bytes:
    """A picture (h, w, 4) float32, linear and straight, as a file. kind : the block format of a DDS. Raises PictureError."""
    if ending == ".exr":
        return exr_bytes(pixels)
    if ending == ".dds":
        chosen: Format = best_format(pixels) if kind == "best" else kind  # type: ignore[assignment]
        return packed_texture(pixels, chosen, PictureUse(), {})[0]
    if ending not in ENDINGS:
        raise PictureError(f'"{ending}": expected a picture\'s ending ({", ".join(ENDINGS)}); choose one of them')
    image, store = Image.fromarray(codes_of(pixels), "RGBA"), io.BytesIO()
    if ending == ".webp":
        image.save(store, "WEBP", lossless=True, exact=True)
    else:
        image.save(store, ending[1:].upper())
    return store.getvalue()
