"""What an effect is to look like, shown by pictures: measured, compared, and matched."""

MATCHES = ("brightness", "colour", "silhouette", "rhythm", "picture")
"""What a fit can match."""
