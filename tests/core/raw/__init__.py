"""Tests of core/raw."""
