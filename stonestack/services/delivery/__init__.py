"""Builds, and their way into a game and out of it."""
