"""The API, one file a subject; each registers its routes on the application."""
