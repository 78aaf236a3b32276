"""Working files for an outside image editor."""
