"""Tests of core/runtime."""
