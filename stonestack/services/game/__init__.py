"""The files of a game, and those brought in: read, catalogued, found, taken out.

Changes nothing there.
"""
