"""The Routes page."""
