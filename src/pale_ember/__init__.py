"""Pale Ember: layered 3D particle effects."""

from pathlib import Path

__version__ = "0.1.0"

ASSETS = Path(__file__).parent / "assets"
"""Fonts, cards, icons, and the effects of the quay."""
