"""Lists from the web."""
