"""Pulses: values that change with time, bound before a texel is touched; the same on CPU and GPU."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.hexcode import hex_to_linear, linear_to_hex, normalize_hex
from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.recipe import Pulse
from evenpalette.core.values import Input, Value, ValueType, format_stops, parse_stops

#: What can pulse: what lies between two values is one too.
TYPES = (ValueType.NUMBER, ValueType.COLOR)


def share_at(pulse: Pulse, seconds: float) -> float:
    """How far a pulse is from low to high at a time, 0..1."""
    place = seconds / pulse.period + pulse.phase
    place -= np.floor(place)
    if pulse.shape == "sine":
        return float(0.5 - 0.5 * np.cos(2 * np.pi * place))
    if pulse.shape == "steps":
        return float(min(int(place * pulse.steps), pulse.steps - 1) / (pulse.steps - 1))
    positions, values = parse_stops(pulse.curve)
    return float(np.interp(place, positions, values))


def pulsed(pulse: Pulse, input: Input, seconds: float) -> float | NDArray[np.float32]:
    """The value at a time as kernels take it: a number in the input's range, or a linear color (3,)."""
    share = share_at(pulse, seconds)
    if input.type is ValueType.COLOR:
        low, high = (hex_to_linear(color) for color in pulse.colors or ("#000000", "#ffffff"))
        return np.asarray(low + (high - low) * np.float32(share), np.float32)
    return min(max(pulse.low + (pulse.high - pulse.low) * share, input.low), input.high)


def shown_value(pulse: Pulse, input: Input, seconds: float) -> Value:
    """The value at a time as the document writes it."""
    value = pulsed(pulse, input, seconds)
    return linear_to_hex(value) if isinstance(value, np.ndarray) else float(value)


def accepted_pulse(pulse: Pulse, input: Input) -> Pulse:
    """A pulse with its values in the input's type and range. Raises EvenPaletteError."""
    if input.type not in TYPES:
        raise RecipeError(f"'{input.label}' is neither a number nor a color; it cannot pulse.")
    curve = format_stops(list(zip(*(part.tolist() for part in parse_stops(pulse.curve)), strict=True)))
    parts: dict[str, object] = {"curve": curve}
    if input.type is ValueType.COLOR:
        parts["colors"] = tuple(normalize_hex(color) for color in pulse.colors or ("#000000", "#ffffff"))
    else:
        parts |= {"low": input.accept(pulse.low), "high": input.accept(pulse.high), "colors": None}
    return pulse.model_copy(update=parts)


def pulse_text(pulse: Pulse, input: Input) -> str:
    """A pulse as a GLSL expression of `seconds`."""
    place = f"fract(seconds / {pulse.period!r} + {pulse.phase!r})"
    if pulse.shape == "sine":
        share = f"(0.5 - 0.5 * cos(6.28318531 * {place}))"
    elif pulse.shape == "steps":
        share = f"(min(floor({place} * {pulse.steps}.0), {pulse.steps - 1}.0) / {pulse.steps - 1}.0)"
    else:
        positions, values = parse_stops(pulse.curve)
        share = f"{float(values[0])!r}"
        for k in range(1, len(positions)):
            wide = max(float(positions[k] - positions[k - 1]), 1e-5)
            share = f"mix({share}, {float(values[k])!r}, clamp(({place} - {float(positions[k - 1])!r}) / {wide!r}, 0.0, 1.0))"
        share = f"({share})"
    if input.type is ValueType.COLOR:
        low, high = (
            "vec3({})".format(", ".join(repr(float(v)) for v in hex_to_linear(c)))
            for c in pulse.colors or ("#000000", "#ffffff")
        )
        return f"mix({low}, {high}, {share})"
    return (
        f"clamp(mix({float(pulse.low)!r}, {float(pulse.high)!r}, {share}), {float(input.low)!r}, {float(input.high)!r})"
    )
