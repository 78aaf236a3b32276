"""Tests of core/picture."""
