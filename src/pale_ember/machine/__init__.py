"""Pale Ember on a machine: where it keeps things, its log, a display where there is none, its place on the desktop."""
