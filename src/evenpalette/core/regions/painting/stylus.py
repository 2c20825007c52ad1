"""A stand-in for a pen: pressure made from how the pointer moves."""

from dataclasses import field

from evenpalette.core.dataclass import dataclass


@dataclass
class SimulatedStylus:
    """Pressure 0..1 for a pointer without one: it sets in over the first steps and lightens when the hand is fast.

    slow, fast: pixels per millisecond at which the hand presses fully and least. Formula of our own.
    """

    slow: float = 0.3
    fast: float = 3.0
    lightest: float = 0.25
    _pressure: float = field(default=0.0, init=False)
    _last: tuple[float, float, float] | None = field(default=None, init=False)

    def lift(self) -> None:
        """The stroke is over."""
        self._pressure, self._last = 0.0, None

    def pressure(self, x: float, y: float, milliseconds: float) -> float:
        """The pressure at a place (pixels) and time."""
        wanted = 1.0
        if self._last is not None:
            lx, ly, lt = self._last
            speed = ((x - lx) ** 2 + (y - ly) ** 2) ** 0.5 / max(milliseconds - lt, 1.0)
            share = min(max((speed - self.slow) / (self.fast - self.slow), 0.0), 1.0)
            wanted = 1.0 - share * (1.0 - self.lightest)
        self._last = (x, y, milliseconds)
        self._pressure += (wanted - self._pressure) * 0.35
        return self._pressure
