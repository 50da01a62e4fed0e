"""Models of the Plan page."""
