"""What everything that draws agrees on: the surround, parts of a target, looks side by side."""

from collections.abc import Sequence

import moderngl

from evenpalette.gpu.look import Look

#: The surround of color work: sRGB 119 (CIE L* about 50).
SURROUND = 119 / 255
#: Left, bottom, width, height in pixels.
Viewport = tuple[int, int, int, int]


def begin(ctx: moderngl.Context, target: moderngl.Framebuffer, viewport: Viewport, scissor: Viewport) -> None:
    """Draw into a part of a target from now on, plainly."""
    target.use()
    ctx.viewport = viewport
    ctx.scissor = scissor
    ctx.disable(moderngl.BLEND | moderngl.CULL_FACE | moderngl.DEPTH_TEST)


def bands(looks: Sequence[tuple[Look, float]], width: int) -> list[tuple[Look, int, int]]:
    """Looks, each up to a share 0..1 of the width, with the columns that they fill."""
    found, left = [], 0
    for look, share in looks:
        right = min(width, max(left, round(share * width)))
        found.append((look, left, right))
        left = right
    return found


def common(one: Viewport, other: Viewport) -> Viewport:
    """What lies in both; of no width or height where nothing does."""
    left, low = max(one[0], other[0]), max(one[1], other[1])
    right, high = min(one[0] + one[2], other[0] + other[2]), min(one[1] + one[3], other[1] + other[3])
    return left, low, max(0, right - left), max(0, high - low)
