"""Editors for single values, one look for all of them."""
