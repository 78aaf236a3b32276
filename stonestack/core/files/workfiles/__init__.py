"""Pictures on their way to an outside image editor and back."""
