"""A folder of effects as one thing: what lies in it, what it shares, how it is searched and renamed."""
