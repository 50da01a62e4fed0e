"""Views of the Patch page."""
