"""Versions of an effect: varied as far as is wanted, or between two."""
