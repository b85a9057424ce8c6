"""Pictures packed into blocks of 4 × 4 pixels, as graphics cards read them.

The encoders are those of ISPCTextureCompressor. Measured beside etcpak on puffs of 1024²: BC1 and BC3 lie 3 to 5 dB nearer to
the picture at 70 to 86 megapixels a second (etcpak 120 to 308), BC7 2 dB nearer at 1.3 (1.1), and BC6H is its own.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from pale_ember.core.texture.formats import BYTES, Format
from pale_ember.core.texture.light import to_coded


@dataclass(frozen=True, slots=True)
class MipLevel:
    """One size of a packed picture."""

    width: int
    height: int
    data: bytes


def best_format(pixels: np.ndarray) -> Format:
    """What a picture wants when nobody says otherwise: bc6h for light brighter than white, bc1 where all is covered, else
    bc3. pixels : (h, w, 4) float32, linear, straight."""
    if float(pixels[..., :3].max(initial=0.0)) > 1.0 + 1e-3:
        return "bc6h"
    return "bc1" if float(pixels[..., 3].min(initial=1.0)) > 1 - 0.5 / 255 else "bc3"


def packed(pixels: np.ndarray, kind: Format) -> MipLevel:
    """A picture in blocks; its edges are repeated to whole blocks.

    pixels : (h, w, 4) float32, linear, straight. bc1, bc3 and bc7 hold sRGB codes, bc4 and bc5 the codes of red, and red and
    green, bc6h linear light.
    """
    import ispc_texcomp as encoder

    height, width = pixels.shape[:2]
    tall, wide = 4 * math.ceil(height / 4), 4 * math.ceil(width / 4)
    whole = np.pad(pixels, ((0, tall - height), (0, wide - width), (0, 0)), mode="edge")
    if kind == "bc6h":
        light = np.clip(whole, 0.0, 6e4).astype(np.float16)
        surface = encoder.RGBASurface(light.tobytes(), wide, tall, wide * 8)
        settings = encoder.BC6HEncSettings.from_profile("fast")
        return MipLevel(width, height, bytes(encoder.compress_blocks_bc6h(surface, settings)))
    codes = coded(whole)
    if kind in ("bc4", "bc5"):
        channels = 1 if kind == "bc4" else 2
        some = np.ascontiguousarray(codes[..., :channels])
        surface = encoder.RGBASurface(some.tobytes(), wide, tall, wide * channels)
    else:
        surface = encoder.RGBASurface(codes.tobytes(), wide, tall, wide * 4)
    if kind == "bc7":
        opaque = bool((codes[..., 3] == 255).all())
        profile = encoder.BC7EncSettings.from_profile("ultrafast" if opaque else "alpha_ultrafast")
        return MipLevel(width, height, bytes(encoder.compress_blocks_bc7(surface, profile)))
    # It gives 16 bytes for every block, of which those of 8 fill the first half.
    data = bytes(getattr(encoder, f"compress_blocks_{kind}")(surface))
    return MipLevel(width, height, data[: BYTES[kind] * (wide // 4) * (tall // 4)])


def coded(pixels: np.ndarray) -> np.ndarray:
    """(h, w, 4) uint8: sRGB codes and cover of a linear picture."""
    codes = np.concatenate([to_coded(np.clip(pixels[..., :3], 0.0, 1.0)), pixels[..., 3:]], axis=2)
    return np.round(np.clip(codes, 0.0, 1.0) * 255).astype(np.uint8)


def error_of(first: np.ndarray, second: np.ndarray) -> float:
    """How near two pictures (h, w, channels) uint8 are: the peak signal-to-noise ratio in dB, infinite where they are
    alike."""
    mean = float(((first.astype(float) - second.astype(float)) ** 2).mean())
    return math.inf if mean == 0 else 10 * math.log10(255.0**2 / mean)
