"""Changes of a game's own files: originals kept, plans, putting in and giving back."""
