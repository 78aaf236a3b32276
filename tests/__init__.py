"""Tests mirror the packages; run them all with ``python3 run.py test``."""
