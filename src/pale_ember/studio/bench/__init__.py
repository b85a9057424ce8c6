"""The texture bench: pictures made, painted, simulated and tried in the live effect."""
