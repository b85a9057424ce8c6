"""The formats that pictures are packed in for graphics cards: the one list of them."""

from __future__ import annotations

from typing import Literal, get_args

Format = Literal["bc1", "bc3", "bc4", "bc5", "bc6h", "bc7"]
FORMATS: tuple[Format, ...] = get_args(Format)

BYTES: dict[Format, int] = {"bc1": 8, "bc3": 16, "bc4": 8, "bc5": 16, "bc6h": 16, "bc7": 16}
"""Bytes of one block of 16 pixels."""

MEANS: dict[Format, str] = {
    "bc1": "colour without alpha",
    "bc3": "colour and alpha",
    "bc4": "one channel",
    "bc5": "two channels",
    "bc6h": "light brighter than white, without alpha",
    "bc7": "colour and alpha, finely; slow to make",
}
"""What each is for."""
