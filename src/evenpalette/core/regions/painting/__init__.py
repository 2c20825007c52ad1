"""Painting coverages: brushes, strokes on the texture and on the surface, filling."""
