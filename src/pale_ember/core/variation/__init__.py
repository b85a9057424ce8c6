"""Versions of an effect: varied as far as is wanted, between two, told apart and put together."""

KINDS = ("seed", "hue", "tempo", "shape")
"""What of an effect a variation may change."""
