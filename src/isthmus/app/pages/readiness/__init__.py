"""The Readiness page."""
