"""Tests of core/judge."""
