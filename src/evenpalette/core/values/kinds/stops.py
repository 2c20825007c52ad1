"""Stops of a ramp: '0:0, 0.5:1, 1:0'."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import ValueProblem
from evenpalette.core.values.kind import Value, ValueKind, ValueType, Within, text_of


def parse_stops(text: str) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Positions and values of '0:0, 0.5:1, 1:0', sorted by position. Raises ValueProblem."""
    try:
        pairs = sorted(tuple(float(part) for part in stop.split(":")) for stop in text.split(",") if stop.strip())
        positions, values = np.array([p for p, _ in pairs]), np.array([v for _, v in pairs])
    except ValueError:
        pairs = []
    if len(pairs) < 2 or not np.isfinite(pairs).all() or np.min(pairs) < 0 or np.max(pairs) > 1:
        raise ValueProblem(
            f"A ramp is two or more stops 'position:value' of 0 to 1 with commas between, not '{text[:60]}'."
        )
    return positions, values


def format_stops(stops: list[tuple[float, float]]) -> str:
    """The text of stops that `parse_stops` reads."""
    return ", ".join(f"{position:.4g}:{value:.4g}" for position, value in sorted(stops))


def _accept(value: object, within: Within) -> Value:
    return format_stops(list(zip(*parse_stops(text_of(value, ValueType.STOPS, within)), strict=True)))


KIND = ValueKind(ValueType.STOPS, 10, _accept)
