"""The picture type and what is done to any picture: colour, filters, resizing, levels.

No file, no step.
"""
