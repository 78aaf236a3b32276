"""Tests of core/steps."""
