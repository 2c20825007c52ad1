"""What a view shows."""

from enum import IntEnum

from evenpalette.core.color.vision import PLAIN, Vision
from evenpalette.core.dataclass import dataclass
from evenpalette.core.light.lamps import EVEN, Light


class Show(IntEnum):
    """The stage of the texel that is drawn; the numbers are those in the shader."""

    RECIPE = 0
    PAINTED = 1
    TONE = 2
    ID = 3
    COVERAGE = 4
    DIFFERENCE = 5
    ATTRIBUTE = 6


@dataclass(frozen=True)
class Look:
    """Everything that decides a texel's color in a view.

    variant: id, None is the defaults. steps: how many steps of the recipe run, None is all. alone: only the last of
    those runs. region: index whose coverage is shown, -1 is none. focus: index of the region that is not dimmed.
    overlay: how strong regions are laid over what is shown, 0 to 1; those of one division, of the region or the first.
    attribute: which one is shown as it is. texture: id of one that stands in for the painted one, as it is stored.
    light: what Form is lit by. copy, seconds: the moment that picks and drifts are of. eyes: who looks on. into,
    turned: id of a variant that it turns into, and how far it has, 0 to 1.
    """

    show: Show = Show.RECIPE
    variant: str | None = None
    steps: int | None = None
    alone: bool = False
    region: int = -1
    focus: int = -1
    lit: bool = True
    attribute: str = ""
    copy: int = 0
    seconds: float = 0.0
    overlay: float = 0.0
    texture: str = ""
    light: Light = EVEN
    eyes: Vision = PLAIN
    into: str = ""
    turned: float = 0.0
