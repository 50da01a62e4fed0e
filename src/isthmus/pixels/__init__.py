"""Pixels: grids of cells as the rig has them in space, and what pictures make of them."""
