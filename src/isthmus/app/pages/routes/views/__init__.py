"""Views of the Routes page."""
