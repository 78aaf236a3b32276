"""Compiled loops over texels; each is called by one module of :mod:`stonestack.core.picture`."""
