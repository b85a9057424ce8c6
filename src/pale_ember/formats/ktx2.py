"""KTX2, the open container of packed textures: a header, what each block holds, and all sizes, the smallest first.

As the Khronos KTX File Format Specification 2.0 says, with a Basic Data Format Descriptor of the Khronos Data Format Specification 1.3.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from typing import NamedTuple

from pale_ember import __version__
from pale_ember.core.texture.blocks import MipLevel
from pale_ember.core.texture.formats import BYTES, Format

_RED, _GREEN, _ALPHA, _LINEAR, _FLOAT = 0, 1, 15, 0x10, 0x80
"""Channels of a sample, and what qualifies them."""
_WHOLE, _ONE = 0xFFFFFFFF, 0x3F800000
"""A sample's full value: of integers, and of floats."""


class _Kind(NamedTuple):
    """plain, coded : VkFormat of numbers, and of sRGB codes where there is such. model : KHR_DF_MODEL. samples : (channel, its bits
    within the block), in the order of their bits."""

    plain: int
    coded: int
    model: int
    samples: tuple[tuple[int, int], ...]


_KINDS: dict[Format, _Kind] = {
    "bc1": _Kind(131, 132, 128, ((_RED, 64),)),
    "bc3": _Kind(137, 138, 130, ((_ALPHA, 64), (_RED, 64))),
    "bc4": _Kind(139, 139, 131, ((_RED, 64),)),
    "bc5": _Kind(141, 141, 132, ((_RED, 64), (_GREEN, 64))),
    "bc6h": _Kind(143, 143, 133, ((_RED | _FLOAT, 128),)),
    "bc7": _Kind(145, 146, 134, ((_RED, 128),)),
}
_IDENTIFIER = bytes.fromhex("AB4B5458203230BB0D0A1A0A")
_HEADER, _INDEX, _LEVEL = struct.Struct("<9I"), struct.Struct("<4I2Q"), struct.Struct("<3Q")


def ktx2_bytes(levels: Sequence[MipLevel], kind: Format, *, srgb: bool = True, premultiplied: bool = False) -> bytes:
    """A KTX2 of a packed picture in all its sizes, the largest first. srgb : whether colours are codes, where the format knows of that.
    premultiplied : whether its light is multiplied by its cover."""
    known = _KINDS[kind]
    code = known.coded if srgb else known.plain
    descriptor = _descriptor(kind, coded=code != known.plain, premultiplied=premultiplied)
    written = _pair("KTXorientation", "rd") + _pair("KTXwriter", f"Pale Ember {__version__}")
    begin = len(_IDENTIFIER) + _HEADER.size + _INDEX.size + _LEVEL.size * len(levels)
    at = -(-(begin + len(descriptor) + len(written)) // 16) * 16
    places, body = [], bytearray(at - begin - len(descriptor) - len(written))
    for level in reversed(levels):
        places.append(_LEVEL.pack(at, len(level.data), len(level.data)))
        body += level.data
        at += len(level.data)
    first = levels[0]
    header = _HEADER.pack(code, 1, first.width, first.height, 0, 0, 1, len(levels), 0)
    index = _INDEX.pack(begin, len(descriptor), begin + len(descriptor), len(written), 0, 0)
    return b"".join((_IDENTIFIER, header, index, *reversed(places), descriptor, written, body))


def _descriptor(kind: Format, *, coded: bool, premultiplied: bool) -> bytes:
    """What each block holds: 4 × 4 pixels, BT.709, each sample from nothing to its full value."""
    known, at, samples = _KINDS[kind], 0, b""
    for channel, bits in known.samples:
        linear = _LINEAR if coded and channel == _ALPHA else 0
        samples += struct.pack("<HBB4x2I", at, bits - 1, channel | linear, 0, _ONE if channel & _FLOAT else _WHOLE)
        at += bits
    block = struct.pack(
        "<2HBBBB4B8B", 2, 24 + len(samples), known.model, 1, 2 if coded else 1, premultiplied, 3, 3, 0, 0, BYTES[kind], *[0] * 7
    )
    return struct.pack("<2I", 4 + 4 + len(block) + len(samples), 0) + block + samples


def _pair(key: str, value: str) -> bytes:
    """One entry of what is known of a file, up to the next that can begin."""
    pair = f"{key}\0{value}\0".encode()
    return struct.pack("<I", len(pair)) + pair + bytes(-len(pair) % 4)
