"""Tests of core/tables."""
