"""The Profiles page."""
