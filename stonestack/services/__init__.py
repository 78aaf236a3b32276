"""Use cases: what the web interface and the command line both call."""
