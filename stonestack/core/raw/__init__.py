"""A raw picture before it is a map: its frame, and the slant at which it was seen."""
