"""When and in what light a crowd is seen."""

import numpy as np

from evenpalette.core.dataclass import dataclass
from evenpalette.core.light.lamps import SET_UPS


@dataclass(frozen=True)
class CrowdLight:
    """hour: 0..1 from day over evening to night. exposure: a factor. flame: what all that glows is multiplied by.
    unlit: base color alone."""

    hour: float = 0.0
    exposure: float = 1.0
    flame: float = 1.0
    unlit: bool = False

    def lamps(self) -> tuple[list[tuple[float, ...]], tuple[float, float]]:
        """Lamps and sky, mixed between the set-ups even, side and night."""
        at = min(max(self.hour, 0.0), 1.0) * 2
        one, two = (SET_UPS["even"], SET_UPS["side"]) if at < 1 else (SET_UPS["side"], SET_UPS["night"])
        t = at - int(at) if at < 2 else 1.0
        made = []
        for (a, x), (b, y) in zip(one.lamps, two.lamps, strict=True):
            toward = np.array(a) * (1 - t) + np.array(b) * t
            toward /= max(float(np.linalg.norm(toward)), 1e-6)
            made.append((*(float(v) for v in toward), x + (y - x) * t))
        low, high = (a + (b - a) * t for a, b in zip(one.sky, two.sky, strict=True))
        return made, (low, high)


@dataclass(frozen=True)
class CrowdMoment:
    """seconds: of all that moves. turn: how far every copy has turned into the variant of row `to`, -1 for none."""

    seconds: float = 0.0
    to: int = -1
    turn: float = 0.0
