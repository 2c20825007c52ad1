"""Light to judge colors in: set-ups of neutral lamps and a sky, made by us; turned about the vertical, exposed in
stops."""

import math

from evenpalette.core.dataclass import dataclass

Direction = tuple[float, float, float]


@dataclass(frozen=True)
class SetUp:
    """Three lamps, each a direction toward it and how bright white paper straight under it is; the radiance of the sky
    from straight below and from straight above. environment: a picture of one in the sky's place, see
    `Environment`."""

    label: str
    description: str
    lamps: tuple[tuple[Direction, float], tuple[Direction, float], tuple[Direction, float]]
    sky: tuple[float, float]
    environment: str = ""


#: No lamp: the light comes from an environment alone.
_OFF = ((0.0, 1.0, 0.0), 0.0)

SET_UPS = {
    "even": SetUp(
        "Even light", "Soft from all sides: for judging color",
        (((-0.5313, 0.5989, 0.5989), 0.60), ((0.8433, 0.1054, 0.5270), 0.18), ((0.1938, 0.3391, -0.9206), 0.22)), (0.22, 0.40),
    ),
    "side": SetUp(
        "Side light", "One strong lamp from the side: for relief, gloss and scratches",
        (((-0.9055, 0.3018, 0.2981), 1.15), ((0.6, 0.2, 0.7746), 0.06), ((0.5, 0.1, -0.8602), 0.30)), (0.05, 0.18),
    ),
    "night": SetUp(
        "Night", "A faint sky and thin rims: for what glows",
        (((-0.3, 0.9, 0.3162), 0.07), ((0.85, 0.2, -0.4873), 0.16), ((-0.85, 0.15, -0.5050), 0.10)), (0.012, 0.05),
    ),
    "room": SetUp("Room", "A window and a lamp strip, all around: for metal, lacquer and gloss", (_OFF, _OFF, _OFF), (0.1, 0.2), "room"),
    "yard": SetUp("Yard", "An overcast sky and a low sun, all around: for the street by day", (_OFF, _OFF, _OFF), (0.16, 0.6), "yard"),
}  # fmt: skip


@dataclass(frozen=True)
class Light:
    """set_up: a key of SET_UPS. turn: degrees about the vertical. exposure: stops. filmic: highlights bent in, not cut
    off.
    bloom: how much of what glows is scattered, 0..1."""

    set_up: str = "even"
    turn: float = 0.0
    exposure: float = 0.0
    filmic: bool = False
    bloom: float = 0.25

    @property
    def lamps(self) -> list[tuple[float, float, float, float]]:
        """Direction and strength of each lamp, turned."""
        cos, sin = math.cos(math.radians(self.turn)), math.sin(math.radians(self.turn))
        return [
            (x * cos + z * sin, y, z * cos - x * sin, strength) for (x, y, z), strength in SET_UPS[self.set_up].lamps
        ]

    @property
    def sky(self) -> tuple[float, float]:
        """Radiance of the sky from below and above."""
        return SET_UPS[self.set_up].sky

    @property
    def environment(self) -> str:
        """The environment in the sky's place, '' for none."""
        return SET_UPS[self.set_up].environment

    @property
    def turned(self) -> tuple[float, float]:
        """Cosine and sine of the turn."""
        return math.cos(math.radians(self.turn)), math.sin(math.radians(self.turn))

    @property
    def gain(self) -> float:
        """The factor of the exposure."""
        return float(2.0**self.exposure)


#: What Form is lit by unless somebody says otherwise.
EVEN = Light()
