"""Pale Ember: layered 3D particle effects."""

__version__ = "0.1.0"
