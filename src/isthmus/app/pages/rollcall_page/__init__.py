"""The views of the Roll call page."""
