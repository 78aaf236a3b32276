"""Tests of core/tile."""
