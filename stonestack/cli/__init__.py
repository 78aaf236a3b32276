"""The command line, over the same services as the web interface."""
