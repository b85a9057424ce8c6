"""The seven chapters of a layer's story: the life of a particle from left to right. Each is declared in its own file."""

from __future__ import annotations

from pale_ember.core.effect.birth import Birth
from pale_ember.core.effect.bursts import MOST_ALIVE, Burst
from pale_ember.core.effect.contact import Contact
from pale_ember.core.effect.forces import Forces
from pale_ember.core.effect.life import Life
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.offspring import Offspring
from pale_ember.core.effect.outlet import Outlet

CHAPTERS = ("outlet", "birth", "life", "forces", "contact", "offspring", "look")
"""The chapters in the order of the story, by their field in a layer."""

__all__ = ["CHAPTERS", "MOST_ALIVE", "Birth", "Burst", "Contact", "Forces", "Life", "Look", "Offspring", "Outlet"]
