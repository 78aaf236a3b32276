"""Making pictures tile, one file a method; :mod:`.seam` measures the result."""
