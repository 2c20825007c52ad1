"""Even Palette: recolor game assets at runtime, without repainting textures."""

__version__ = "0.6.0"
