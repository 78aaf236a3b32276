"""Faults of a tile, one file a kind of evidence."""
