"""Views of the Profiles page."""
