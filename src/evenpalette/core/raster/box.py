"""A box of texels, the same everywhere: left, top, right, bottom, of which right and bottom lie outside."""

Box = tuple[int, int, int, int]
