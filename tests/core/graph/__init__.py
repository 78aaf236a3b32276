"""Tests of core/graph."""
