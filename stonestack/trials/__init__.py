"""Trials of what Stone Stack measures and guesses, on pictures drawn from seeds.

Each module draws one kind of trial with its answer; ``stone-stack bench trust`` runs them.
"""
