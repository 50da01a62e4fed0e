"""The Roll call page."""
