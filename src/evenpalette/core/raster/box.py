"""A box of texels, the same everywhere: left, top, right, bottom, of which right and bottom lie outside."""

Box = tuple[int, int, int, int]


def joined(one: Box, other: Box) -> Box:
    """The smallest box around both."""
    return min(one[0], other[0]), min(one[1], other[1]), max(one[2], other[2]), max(one[3], other[3])
