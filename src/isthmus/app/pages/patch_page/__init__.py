"""The Patch page's views and dialogs."""
