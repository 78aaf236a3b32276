"""Saltglass, the sample game: a stand-in that reads its own game folder and nothing else."""
