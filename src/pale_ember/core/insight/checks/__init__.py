"""Checks: what is likely not meant, where it stands, why, and what would mend it."""
