"""What a mesh knows about itself, and light that is gathered over it, as textures."""
