"""What a particle draws at birth."""

from __future__ import annotations

import re

from pale_ember.core.effect.model import Layer
from pale_ember.core.words.phrases.phrase import N, R, at_least, phrase, phrases_in, range_of, with_values
from pale_ember.core.words.scene import Scene


@phrase(rf"(?:each )?li(?:ves|ve|ving)(?: for)? ({R})\s*s?\b", "lifetime", "birth", "lifetime")
def _lifetime(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("birth", "lifetime"), at_least(range_of(said[1]), 0.001)))


@phrase(rf"(?:leaves at|leaving at|heads off at) ({R})(?:\s*m/s)?|({R})\s*m/s(?!²)", "speed", "birth", "speed")
def _speed(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("birth", "speed"), range_of(said[1] or said[2])))


@phrase(rf"({R})\s*m? wide", "size", "birth", "size")
def _size(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("birth", "size"), at_least(range_of(said[1]), 0.0)))


@phrase(rf"height ({N})\s*×|({N}) times as high", "height", "birth", "aspect")
def _aspect(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("birth", "aspect"), float(said[1] or said[2])))


@phrase(rf"brightness ({R})\s*×|({R}) times (?:as )?bright", "brightness", "birth", "brightness")
def _brightness(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("birth", "brightness"), at_least(range_of(said[1] or said[2]), 0.0)))


PHRASES = phrases_in(globals())
