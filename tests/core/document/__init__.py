"""Tests of core/document."""
