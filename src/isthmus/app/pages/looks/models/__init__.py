"""Tables of the Looks page."""
