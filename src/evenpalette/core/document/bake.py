"""How a texture is made from the mesh or from light: a recipe of its own, made again when what it reads changes."""

from typing import Annotated, Literal

from pydantic import Field

from evenpalette.core.stored import Stored
from evenpalette.core.values import Value

#: The kind of bake whose light is that of the recipe.
GLOW = "glow"


class Ramp(Stored):
    """What becomes of a baked value at last: `low` and darker is black, `high` and lighter white, between them a curve
    of this power; of that so much, the rest white; then turned around or not."""

    low: float = Field(0.0, ge=0, le=1)
    high: float = Field(1.0, ge=0, le=1)
    power: float = Field(1.0, ge=0.1, le=10)
    strength: float = Field(1.0, ge=0, le=1)
    invert: bool = False

    @property
    def does_nothing(self) -> bool:
        """Whether it leaves all as it is."""
        return (self.low, self.high, self.power, self.strength, self.invert) == (0, 1, 1, 1, False)


class Bake(Stored):
    """A bake.

    kind: of those that are known, or 'glow'. settings: of the kind. size: texels a side. padding: texels of the gutter
    that are filled, -1 is all of them. finer, cage: files of a finer mesh and of the mesh swollen, '' for none.
    distance: how far off the finer one may lie, as a share of the model's size. clear: whether light goes through what
    the recipe cuts out. groups: names of the material groups that hide, () for what the settings say. region: that a
    distance is measured to. lamp: of glow, the step and the row that glow. variant: of glow, whose colors the
    surroundings have.
    Of what was made last: read is a hash of all that it was made of, '' before the first time; rays, seconds and the
    time that it was made; scale: of glow, what the stored light is multiplied by; notes: what there is to say.
    """

    kind: str = Field(max_length=40)
    settings: dict[Annotated[str, Field(max_length=40)], Value] = {}
    size: int = Field(1024, ge=16, le=8192)
    denoiser: Literal["none", "own", "oidn"] = "own"
    padding: int = Field(-1, ge=-1, le=8192)
    ramp: Ramp = Ramp()
    finer: str = Field("", max_length=4096)
    cage: str = Field("", max_length=4096)
    distance: float = Field(0.05, ge=0, le=10)
    clear: bool = True
    groups: tuple[Annotated[str, Field(max_length=200)], ...] = Field((), max_length=400)
    region: str = Field("", max_length=80)
    lamp: tuple[str, str] | None = None
    variant: str = Field("", max_length=80)
    read: str = Field("", max_length=80)
    rays: int = 0
    seconds: float = 0.0
    made: str = Field("", max_length=40)
    scale: float = Field(1.0, gt=0, le=1e6)
    notes: tuple[Annotated[str, Field(max_length=400)], ...] = Field((), max_length=20)

    def is_wished_as(self, other: "Bake") -> bool:
        """Whether the same is wanted, whatever was made so far."""
        return self.wish == other.wish

    @property
    def wish(self) -> dict[str, object]:
        """What is wanted, without what was made."""
        made = {"read", "rays", "seconds", "made", "scale", "notes"}
        return {key: value for key, value in dict(self).items() if key not in made}
