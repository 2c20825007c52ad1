"""How much of the surface is there: what light goes through."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.document.project import OpacityUse
from evenpalette.core.document.state import State
from evenpalette.core.recipe.attributes import OPACITY
from evenpalette.core.recipe.evaluate import evaluate_surface


def clear_plane(state: State, size: int, variant: str | None) -> NDArray[np.float32] | None:
    """How much of the surface is there in a variant, float32 (size, size) of 0..1; None where all is."""
    if OPACITY not in state.attributes or state.sheet.opacity is OpacityUse.OPAQUE:
        return None
    steps = state.bound_steps(variant)
    made = evaluate_surface(steps, state.sources, (OPACITY,), size=(size, size), float_output=True)[OPACITY]
    plane = np.clip(made.pixels[..., 0], 0, 1)
    if state.sheet.opacity is OpacityUse.CUT_OUT:
        plane = (plane >= 0.5).astype(np.float32)
    return None if (plane == 1).all() else np.ascontiguousarray(plane, np.float32)
