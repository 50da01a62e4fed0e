"""What the Plan page is made of."""
