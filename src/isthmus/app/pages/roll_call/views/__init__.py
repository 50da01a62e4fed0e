"""Views of the Roll call page."""
