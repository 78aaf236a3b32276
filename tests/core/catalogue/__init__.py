"""Tests of core/catalogue."""
