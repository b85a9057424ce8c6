"""Gases to begin with, one for each kind."""

from __future__ import annotations

from pale_ember.core.effect.recipe.sources import Gas

GASES: dict[str, Gas] = {
    "fire": Gas(
        source_at=(0.0, -0.78), source_size=0.4, source_flat=0.3, ragged=1.0, smoke=0.0, fuel=8.0, heat=0.5, push=0.6, lift=6.5,
        curl=5.0, gusts=7.0, gust_size=0.45, cools=3.0, burns=4.0, soot=0.06, clears=2.5, glow=1.5, kelvin=1950.0, dense=2.0,
        warm=1.2, span=1.5, drag=0.5, rim=0.22,
    ),
    "smoke": Gas(
        source_at=(0.0, -0.78), source_size=0.22, source_flat=0.5, ragged=0.9, smoke=11.0, heat=0.5, push=0.7, lift=3.2, curl=4.0,
        gusts=3.0, gust_size=0.45, cools=0.9, clears=0.55, dense=10.0, shade=1.0, warm=2.0, span=2.6, drag=0.3, rim=0.4,
        colour=(0.62, 0.60, 0.58),
    ),
    "steam": Gas(
        source_at=(0.0, -0.8), source_size=0.13, source_flat=0.6, ragged=0.9, smoke=14.0, heat=0.6, push=2.8, lift=2.5, curl=5.0,
        gusts=9.0, gust_size=0.3, cools=1.6, clears=1.7, dense=6.0, shade=0.4, warm=1.0, span=1.8, drag=0.3, rim=0.35,
        colour=(0.92, 0.94, 0.96),
    ),
    "dust": Gas(
        source_at=(0.0, -0.84), source_size=0.46, source_flat=0.26, ragged=1.0, lasts=0.3, smoke=22.0, heat=0.3, push=1.2, blast=9.0,
        lift=4.0, weight=0.2, curl=5.0, gusts=6.0, gust_size=0.3, cools=1.0, clears=0.8, dense=6.0, shade=0.8, floor=True,
        warm=0.02, span=1.9, drag=0.9, rim=0.25, colour=(0.56, 0.47, 0.37),
    ),
    "ink": Gas(
        source_at=(0.0, 0.66), source_size=0.17, source_flat=0.8, ragged=0.6, lasts=0.5, smoke=16.0, heat=0.0, push=-0.9, lift=0.0,
        weight=0.55, curl=5.0, gusts=1.8, gust_size=0.5, clears=0.0, dense=12.0, shade=0.6, warm=0.2, span=2.4, drag=0.6, rim=0.2,
        colour=(0.10, 0.16, 0.34),
    ),
    "blast": Gas(
        source_at=(0.0, -0.4), source_size=0.24, source_flat=0.9, ragged=1.0, lasts=0.09, smoke=8.0, fuel=40.0, heat=1.2, push=0.8,
        blast=14.0, lift=4.5, curl=7.0, gusts=7.0, gust_size=0.35, cools=2.2, burns=6.0, soot=0.6, clears=0.55, glow=1.1,
        kelvin=2100.0, dense=10.0, shade=1.0, warm=0.03, span=1.5, drag=1.6, rim=0.2, colour=(0.42, 0.38, 0.35),
    ),
}  # fmt: skip
"""By kind."""
