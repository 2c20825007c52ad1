"""What the recipe is as shader text: what it must know, what it reads, what it is told."""

from collections.abc import Mapping, Sequence
from dataclasses import field

from evenpalette.core.dataclass import dataclass
from evenpalette.core.recipe.cost import StepCost
from evenpalette.core.recipe.packed_reads import Packing
from evenpalette.core.recipe.sources import Start
from evenpalette.core.recipe.weights import Sharing
from evenpalette.core.values import Value


@dataclass(frozen=True)
class ShaderReads:
    """What the text must know of the textures: how many channels they have, by id; the base; the divisions.

    channels: of the textures that steps name; a missing one is not there. base_channels: of what the recipe starts
    from. sharings: the divisions, whose regions are counted through in order. starts: what other attributes begin with.
    """

    channels: Mapping[str, int]
    base_channels: int
    sharings: Sequence[Sharing]
    region_ids: Sequence[str]
    starts: Mapping[str, Start] = field(default_factory=dict)


@dataclass(frozen=True)
class ShaderUniform:
    """One uniform. Live: step index, row index (-1 for what all rows share) and input key. Kit: the parameter's id."""

    name: str
    glsl_type: str
    step: int = -1
    row: int = -1
    key: str = ""
    parameter: str = ""


@dataclass(frozen=True)
class SampledTexture:
    """How a texture of the recipe is set up: its id, whether as color or as data, whether it is laid by a placement,
    whether its texels are read one by one: never resized, filtered, compressed. parameter: the id of the one that
    chooses among textures, of which this is the first; '' for a texture that is always read."""

    texture: str
    as_color: bool = False
    placed: bool = False
    exact: bool = False
    parameter: str = ""

    def chosen(self, values: Mapping[str, Value]) -> str:
        """The id of the texture with these values of parameters."""
        return str(values.get(self.parameter, self.texture)) if self.parameter else self.texture


@dataclass(frozen=True)
class ShaderText:
    """GLSL for 3.30 and ES 3.00 that defines `evenpalette_surface` and `evenpalette_recipe`, without a #version line.

    textures: of steps, sampler name to what it reads. samplers: all textures that are bound at once, those of the base
    and of coverages first.
    attributes: what `EpSurface` has. without_steps: only the coverages, for views that show no recipe; they call
    `ep_resolve(uv, dx, dy)`, after which `ep_k0`, `ep_k1` ... hold the resolved coverages. shared: names of the shared
    functions that `text` has. costs: of each step that is run. packing: where planes lie that share textures.
    """

    text: str
    uniforms: tuple[ShaderUniform, ...]
    textures: dict[str, SampledTexture]
    samplers: tuple[str, ...]
    attributes: tuple[str, ...]
    without_steps: str = ""
    shared: frozenset[str] = frozenset()
    costs: tuple[StepCost, ...] = ()
    packing: Packing = field(default_factory=dict)
