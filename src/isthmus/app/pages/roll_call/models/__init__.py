"""Models of the Roll call page."""
