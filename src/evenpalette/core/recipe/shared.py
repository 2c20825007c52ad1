"""GLSL functions that kinds of steps share, by the names that kinds ask for them with: each is written once."""

from evenpalette.core.color import encoding, oklab, yiq
from evenpalette.core.recipe import heights, relief

SHARED = {
    "encoding": encoding.GLSL,
    "oklab": oklab.GLSL,
    "yiq": yiq.GLSL,
    "heights": heights.GLSL,
    "relief": relief.GLSL,
}
