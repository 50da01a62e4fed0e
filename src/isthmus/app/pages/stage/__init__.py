"""The Stage page."""
