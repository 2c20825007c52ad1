"""Limits of values by chance: set, taken away, and written as text.

Paper tint: lightness=0.4..0.8 chroma=0..0.2 hue=20..80 avoid=#c03020,#208040 apart=20 contrast=Frame:15
"""

import re

from pydantic import ValidationError

from evenpalette.core.color.hexcode import normalize_hex
from evenpalette.core.document.crowd import Limit
from evenpalette.core.document.lookup import parameter_named
from evenpalette.core.document.state import State
from evenpalette.core.errors import RecipeError

_RANGE = re.compile(r"(-?[0-9.]+)\s*\.\.\s*(-?[0-9.]+)")
_WORD = re.compile(r"([a-z]+)=(\S+)")
_RANGES = ("lightness", "chroma", "hue", "numbers")


def set_limit(state: State, limit: Limit) -> State:
    """A parameter's limit; one that limits nothing takes it away."""
    kept = tuple(held for held in state.project.limits if held.parameter != limit.parameter)
    return state.with_project(limits=(*kept, limit) if limit.is_any else kept)


def limit_of(state: State, parameter: str) -> Limit:
    """What a parameter keeps to."""
    return next((held for held in state.project.limits if held.parameter == parameter), Limit(parameter=parameter))


def limit_of_text(state: State, text: str) -> Limit:
    """A limit as it is written. Raises EvenPaletteError with one sentence."""
    name, colon, rest = text.partition(":")
    if not colon:
        raise RecipeError(f"'{text[:60]}' limits nothing: write 'NAME: lightness=0.4..0.8 hue=20..80'.")
    parts: dict[str, object] = {"parameter": parameter_named(state, name.strip()).id}
    words = rest.split()
    for word in words:
        match = _WORD.fullmatch(word)
        if match is None or match[1] not in (*_RANGES, "avoid", "apart", "contrast"):
            known = ", ".join((*_RANGES, "avoid", "apart", "contrast"))
            raise RecipeError(f"'{word[:40]}' is no limit: {known}, with = and a value, as in hue=20..80.")
        parts[match[1]] = _value(state, match[1], match[2])
    try:
        return Limit.model_validate(parts)
    except ValidationError as error:
        raise RecipeError(f"The limit of {name.strip()} is none: {error.errors()[0]['msg']}.") from error


def _value(state: State, key: str, text: str) -> object:
    if key in _RANGES:
        match = _RANGE.fullmatch(text)
        if match is None:
            raise RecipeError(f"{key}={text[:40]} is no range: write {key}=0.2..0.8.")
        return float(match[1]), float(match[2])
    if key == "apart":
        try:
            return float(text)
        except ValueError:
            raise RecipeError(f"apart={text[:40]} is no number of CIEDE2000.") from None
    if key == "avoid":
        return tuple(normalize_hex(color) for color in text.split(",") if color)
    made = {}
    for part in text.split(","):
        region, colon, units = part.rpartition(":")
        try:
            made[_region(state, region.replace("_", " "))] = float(units) if colon else 10.0
        except ValueError:
            raise RecipeError(f"contrast={part[:40]} is none: write contrast=REGION:15.") from None
    return made


def _region(state: State, name: str) -> str:
    for sheet in state.project.sheets:
        for region in sheet.regions.regions:
            if region.name.lower() == name.lower() or region.id == name:
                return region.id
    raise RecipeError(f"There is no region called '{name[:60]}'.")


def limit_text(state: State, limit: Limit) -> str:
    """A limit as it is written, without the name; '' for none."""
    names = {r.id: r.name for sheet in state.project.sheets for r in sheet.regions.regions}
    words = [
        f"{key}={held[0]:g}..{held[1]:g}" for key in _RANGES if (held := getattr(limit, key)) is not None
    ]  # fmt: skip
    if limit.avoid:
        words += [f"avoid={','.join(limit.avoid)}", f"apart={limit.apart:g}"]
    if limit.contrast:
        pairs = (f"{names.get(r, r).replace(' ', '_')}:{units:g}" for r, units in limit.contrast.items())
        words.append(f"contrast={','.join(pairs)}")
    return " ".join(words)
