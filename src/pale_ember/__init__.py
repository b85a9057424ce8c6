"""Pale Ember: layered 3D particle effects."""

from pathlib import Path

__version__ = "0.2.0"

RELEASED = "2026-11-29"
"""The day of this version."""

ASSETS = Path(__file__).parent / "assets"
"""Fonts, pictures, icons, and the effects of the quay."""
