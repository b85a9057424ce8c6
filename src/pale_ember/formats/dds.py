"""DDS, the container of packed textures: a header, one of format and all sizes from the largest on.

As Microsoft's DDS programming guide says, with the `DX10` header for every format.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence

from pale_ember.core.texture.blocks import MipLevel
from pale_ember.core.texture.formats import BYTES, Format

_CODES: dict[Format, tuple[int, int]] = {
    "bc1": (71, 72),
    "bc3": (77, 78),
    "bc4": (80, 80),
    "bc5": (83, 83),
    "bc6h": (95, 95),
    "bc7": (98, 99),
}
"""DXGI_FORMAT by format: plain numbers, and sRGB codes where there is such."""

_HEADER, _DX10 = struct.Struct("<4s7I44x8I4I4x"), struct.Struct("<5I")
_CAPS, _HEIGHT, _WIDTH, _PIXELS, _MIPS, _LINEAR = 0x1, 0x2, 0x4, 0x1000, 0x20000, 0x80000
_FOUR_CC, _TEXTURE, _MIPPED, _COMPLEX, _TEXTURE_2D = 0x4, 0x1000, 0x400000, 0x8, 3


def dds_bytes(levels: Sequence[MipLevel], kind: Format, *, srgb: bool = True) -> bytes:
    """A DDS of a packed picture in all its sizes. srgb : whether colours are codes, where the format knows of that."""
    first = levels[0]
    flags = _CAPS | _HEIGHT | _WIDTH | _PIXELS | _LINEAR | (_MIPS if len(levels) > 1 else 0)
    caps = _TEXTURE | (_MIPPED | _COMPLEX if len(levels) > 1 else 0)
    header = _HEADER.pack(
        b"DDS ", 124, flags, first.height, first.width, len(first.data), 0, len(levels),
        32, _FOUR_CC, int.from_bytes(b"DX10", "little"), 0, 0, 0, 0, 0,
        caps, 0, 0, 0,
    )  # fmt: skip
    plain, coded = _CODES[kind]
    alpha = 1 if kind in ("bc3", "bc7") else 0
    return header + _DX10.pack(coded if srgb else plain, _TEXTURE_2D, 0, 1, alpha) + b"".join(x.data for x in levels)


def memory_of(width: int, height: int, kind: Format) -> int:
    """Bytes of a packed texture with all its sizes."""
    total = 0
    while True:
        total += BYTES[kind] * -(-width // 4) * -(-height // 4)
        if width == height == 1:
            return total
        width, height = max(width // 2, 1), max(height // 2, 1)


def levels_in(data: bytes) -> list[MipLevel]:
    """All sizes in a DDS of ours, the largest first."""
    kind = format_in(data)
    assert kind is not None
    height, width = struct.unpack_from("<2I", data, 12)
    levels, at = [], _HEADER.size + _DX10.size
    while at < len(data):
        size = BYTES[kind] * -(-width // 4) * -(-height // 4)
        levels.append(MipLevel(width, height, data[at : at + size]))
        at, width, height = at + size, max(width // 2, 1), max(height // 2, 1)
    return levels


def format_in(header: bytes) -> Format | None:
    """The format that a DDS of ours says it has; None for another file."""
    if len(header) < 148 or header[:4] != b"DDS " or header[84:88] != b"DX10":
        return None
    code = int.from_bytes(header[128:132], "little")
    return next((kind for kind, codes in _CODES.items() if code in codes), None)
