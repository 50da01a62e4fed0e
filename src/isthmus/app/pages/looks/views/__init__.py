"""The views of the Looks page."""
