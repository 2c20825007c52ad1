"""Palettes: pictures reduced to few colors, index textures and strips, rows, and what the GPU makes of them."""
