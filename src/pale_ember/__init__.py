"""Pale Ember: layered 3D particle effects."""

from pathlib import Path

__version__ = "0.1.0"

RELEASED = "2026-11-25"
"""The day of this version."""

ASSETS = Path(__file__).parent / "assets"
"""Fonts, pictures, icons, and the effects of the quay."""
