"""What every operation on a coverage says about itself."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import RegionError
from evenpalette.core.mesh.texels import Texels

Plane = NDArray[np.float32]

#: How a made plane `b` meets the coverage `a` so far.
MEETINGS: Mapping[str, Callable[[Plane, Plane], Plane]] = {
    "replace": lambda a, b: b,
    "add": lambda a, b: np.minimum(a + b, 1),
    "subtract": lambda a, b: np.maximum(a - b, 0),
    "intersect": np.minimum,
    "multiply": lambda a, b: a * b,
    "maximum": np.maximum,
}


@dataclass(frozen=True)
class Setting:
    """A value that an operation reads. type: what its control is; `stops` is text like '0:0, 0.5:1, 1:0'."""

    key: str
    label: str
    type: Literal["number", "integer", "switch", "choice", "region", "channel", "stops"]
    default: bool | float | str
    low: float = 0.0
    high: float = 1.0
    unit: str = ""
    choices: tuple[str, ...] = ()
    tip: str = ""

    def accept(self, value: Any) -> bool | float | str:
        """The value in this setting's type and range. Raises RegionError."""
        if self.type in ("number", "integer"):
            try:
                number = float(value)
            except (TypeError, ValueError):
                number = float("nan")
            if not np.isfinite(number):
                raise RegionError(f"{self.label} is a number from {self.low:g} to {self.high:g}, not {value!r}.")
            number = min(max(number, self.low), self.high)
            return round(number) if self.type == "integer" else number
        if self.type == "switch":
            return bool(value)
        if self.type == "choice" and value not in self.choices:
            raise RegionError(f"{self.label} is one of {', '.join(self.choices)}, not {value!r}.")
        if self.type == "stops":
            parse_stops(str(value))
        return str(value)


MEETING = Setting(
    "meets", "Combine", "choice", "intersect", choices=tuple(MEETINGS),
    tip="How what is made here meets the coverage so far",
)  # fmt: skip


@dataclass(frozen=True)
class Around:
    """What an operation can look at besides the coverage. All planes are float32 (height, width) of 0..1.

    region: the coverage of another region by its id. channel: of a texture, by 'texture id:0..3'.
    """

    shape: tuple[int, int]
    texels: Texels | None
    region: Callable[[str], Plane]
    channel: Callable[[str], Plane]

    def mesh_texels(self, what: str) -> Texels:
        """The texels of the mesh. Raises RegionError where there is none."""
        if self.texels is None:
            raise RegionError(f"{what} needs a mesh with UVs. Bring one in at Asset.")
        return self.texels


@dataclass(frozen=True)
class OperationKind:
    """An operation: its words, its settings, and what it does to a plane.

    makes: it makes a plane of its own, which then meets the coverage so far; else it changes the coverage.
    """

    key: str
    label: str
    summary: str
    settings: tuple[Setting, ...]
    run: Callable[[Plane, Mapping[str, Any], Around], Plane]
    makes: bool = False
    order: int = 100
    source: str = ""

    @property
    def all_settings(self) -> tuple[Setting, ...]:
        """Its settings, with how it meets the coverage where it makes a plane."""
        return (MEETING, *self.settings) if self.makes else self.settings

    def values(self, settings: Mapping[str, Any]) -> dict[str, Any]:
        """Every setting's value: the given one in range, else the default. Raises RegionError."""
        return {s.key: s.accept(settings.get(s.key, s.default)) for s in self.all_settings}


def parse_stops(text: str) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Positions and values of '0:0, 0.5:1, 1:0', sorted by position. Raises RegionError."""
    try:
        pairs = sorted(tuple(float(part) for part in stop.split(":")) for stop in text.split(",") if stop.strip())
        positions, values = np.array([p for p, _ in pairs]), np.array([v for _, v in pairs])
    except ValueError:
        pairs = []
    if len(pairs) < 2 or not np.isfinite(pairs).all() or np.min(pairs) < 0 or np.max(pairs) > 1:
        raise RegionError(f"A ramp is two or more stops 'position:value' of 0 to 1 with commas between, not '{text}'.")
    return positions, values


def format_stops(stops: list[tuple[float, float]]) -> str:
    """The text of stops that `parse_stops` reads."""
    return ", ".join(f"{position:.4g}:{value:.4g}" for position, value in sorted(stops))
