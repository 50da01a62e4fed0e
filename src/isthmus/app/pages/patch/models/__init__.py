"""Models of the Patch page."""
