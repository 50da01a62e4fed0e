"""What the Stage page is made of."""
