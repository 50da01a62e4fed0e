"""Models of the Routes page."""
