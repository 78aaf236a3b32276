"""Tests of core/refit."""
