"""Picks by copy: a value for each placed copy of an asset, the same on CPU and GPU."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import RecipeError
from evenpalette.core.pcg import pcg
from evenpalette.core.recipe.recipe import Pick
from evenpalette.core.values import Input, Value


def copy_hash(copies: NDArray[np.uint32] | int, seed: int) -> NDArray[np.uint32]:
    """A number of 32 bits for each copy."""
    with np.errstate(over="ignore"):
        return pcg(np.asarray(copies, np.uint32) + pcg(seed))


def pick_index(copies: NDArray[np.uint32] | int, seed: int, count: int) -> NDArray[np.uint32]:
    """Which of `count` values each copy has."""
    return copy_hash(copies, seed) % np.uint32(count)


def pick_share(copies: NDArray[np.uint32] | int, seed: int) -> NDArray[np.float32]:
    """A float32 of 0 to 1, without 1, for each copy; a multiple of 2^-24, so it is the same everywhere."""
    return (copy_hash(copies, seed) >> np.uint32(8)).astype(np.float32) * np.float32(2.0**-24)


def picked(pick: Pick, input: Input, copy: int) -> Value:
    """The value of a copy, in the input's type and range. Raises ValueProblem for values that do not fit."""
    copy &= 0xFFFFFFFF
    if pick.values:
        return input.accept(pick.values[int(pick_index(copy, pick.seed, len(pick.values)))])
    if not input.is_number:
        return input.default
    low, high = np.float32(pick.low), np.float32(pick.high)
    return input.accept(float(low + (high - low) * pick_share(copy, pick.seed)))


def pinned(pick: Pick, values: Mapping[str, Value], copy: int) -> int:
    """The number that a pick goes by: of the parameter that pins it where that is 0 or more, else of the copy."""
    held = values.get(pick.pin, -1) if pick.pin is not None else -1
    return int(held) if isinstance(held, int | float) and held >= 0 else copy


def accepted_pick(pick: Pick, input: Input) -> Pick:
    """A pick with its values in the input's type and range. Raises EvenPaletteError."""
    if not input.kind.differs_by_copy:
        raise RecipeError(f"'{input.label}' names a thing of the project; it cannot differ from copy to copy.")
    if not pick.values and not pick.low <= pick.high:
        raise RecipeError(f"'{input.label}': the pick from {pick.low:g} to {pick.high:g} is empty.")
    return pick.model_copy(update={"values": tuple(input.accept(value) for value in pick.values)})


#: The same in shaders, behind the text of the hash.
GLSL = """
// A value for each copy.
uint ep_pick(uint copy, uint seed, uint count) { return ep_pcg(copy + ep_pcg(seed)) % count; }
float ep_pick_share(uint copy, uint seed) { return float(ep_pcg(copy + ep_pcg(seed)) >> 8u) * (1.0 / 16777216.0); }
"""
