"""The views of the Routes page."""
