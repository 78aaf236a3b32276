"""Bytes in and out: block formats, codecs, containers, files for image editors.

No rule of a game.
"""
