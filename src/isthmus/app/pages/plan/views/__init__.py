"""Views of the Plan page."""
