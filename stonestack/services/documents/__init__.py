"""Documents of a project and their history: surfaces, materials, recipes, settings.

No file of a game.
"""
