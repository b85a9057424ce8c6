"""Conditions under which fields have an effect, shared by the chapters."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from pale_ember.core.effect.fields import Need


def chosen(chapter: str, name: str, values: tuple[str, ...], reason: str) -> Need:
    """A need for one of `values` in a choice field of a layer."""
    return Need((chapter, name), lambda layer: getattr(getattr(layer, chapter), name) in values, reason)


def holding(chapter: str, name: str, holds: Callable[[Any], bool], reason: str) -> Need:
    """A need for a chapter's field to satisfy `holds`."""
    return Need((chapter, name), lambda layer: holds(getattr(getattr(layer, chapter), name)), reason)
