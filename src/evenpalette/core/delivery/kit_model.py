"""What `kit/parameters.json` holds, as models: its JSON Schema is made from them."""

import json
from abc import ABC
from typing import TYPE_CHECKING, Annotated, Any, Literal, TypeVar

from msgspec import Meta, Struct, convert, to_builtins

from evenpalette.core.published import unwrapped

FORMAT: Literal["even-palette-kit"] = "even-palette-kit"
VERSION: Literal[3] = 3


_T = TypeVar("_T")
_Channels = Annotated[str, Meta(pattern="^[rgba]{1,4}$")]
_Positive = Annotated[int, Meta(ge=1)]


class _Said(Struct, forbid_unknown_fields=True):
    """Checked when it is read and when it is written. No models as the project has: what makes those is a tenth of the
    player's start."""


class ColorValue(_Said, kw_only=True):
    """A color, as sRGB hex and as linear Rec. 709 light for the uniform."""

    hex: str
    linear: tuple[float, float, float]

    @property
    def uniform(self) -> Any:
        """What a shader is told of it."""
        return self.linear


class ChoiceValue(_Said, kw_only=True):
    """A choice by its word and by the integer for the uniform."""

    choice: str
    index: int

    @property
    def uniform(self) -> Any:
        """What a shader is told of it."""
        return self.index


class PlacementValue(_Said, kw_only=True):
    """How a texture is laid, as text and as the sixteen numbers of the mat4, column by column."""

    placement: str
    matrix: Annotated[list[float], Meta(min_length=16, max_length=16)]

    @property
    def uniform(self) -> Any:
        """What a shader is told of it."""
        return tuple(self.matrix)


class TextureValue(_Said, kw_only=True):
    """A texture of a choice: the id that textures of the list have as `choice`, and its file."""

    texture: str
    file: str

    @property
    def uniform(self) -> Any:
        """What a shader is told of it: nothing, it is bound."""
        return None


_OBJECTS = (ColorValue, ChoiceValue, PlacementValue, TextureValue)

if TYPE_CHECKING:
    AnyValue = ColorValue | ChoiceValue | PlacementValue | TextureValue | bool | int | float | list[float]
else:

    class AnyValue(ABC):  # noqa: B024 - only stands for what is registered
        """A value by the parts that it has; a number as it is, a vector as a list; a switch as true or false, 1 or 0
        for the uniform."""

    for _one in (*_OBJECTS, bool, int, float, list):
        AnyValue.register(_one)


class KitParameter(_Said, kw_only=True):
    """One parameter. range: in which a value changes anything (of the row of a strip with four rows, 0 to 3). `id`
    stays when the artist renames it; `uniform` may not. choices: of a choice its words, of a vector the names of its
    numbers, of a texture the values that `choice` of textures may have: its samplers are those of the textures whose
    `parameter` is its uniform."""

    id: str
    uniform: str
    glsl: Literal["vec2", "vec3", "vec4", "float", "int", "mat4", "sampler2D"]
    name: str
    type: Literal["color", "number", "integer", "choice", "switch", "placement", "vector", "texture"]
    range: tuple[float, float] | None = None
    unit: str = ""
    choices: list[str] = []
    default: AnyValue
    group: str = ""
    description: str = ""


class KitRead(_Said, kw_only=True):
    """What lies in channels of a texture."""

    channels: _Channels
    holds: str


class KitTexture(_Said, kw_only=True):
    """One texture in `textures/`, and how to set it up. The first row of the file is at v = 0.

    channels: in the file. bits: 8, 16 or 32 (float) a channel. encoding: `srgb` is decoded when it is read, `data` is
    not; float textures are linear light or data as they are. alpha: whether the file has one: `data` is never
    premultiplied, not while it is loaded either, for it may hold data, and 0 there does not mean that nothing is seen.
    filter: `linear` is bilinear in a level, with `mips` between levels too, each the mean of two by two texels of the
    one before, of color in linear light. 16 bits that a target has no format for are rounded to 8. parameter, choice:
    of several textures with one sampler that one is bound whose choice is the value of the parameter (by uniform); the
    default stands last. Of a `nearest` one texels are fetched one by one, never filtered, resized or compressed. reads:
    what its channels hold.
    """

    sampler: str
    file: str
    channels: Annotated[int, Meta(ge=1, le=4)]
    bits: Literal[8, 16, 32]
    encoding: Literal["srgb", "data"]
    alpha: Literal["none", "data"]
    wrap: Literal["clamp", "repeat"]
    filter: Literal["linear", "nearest"]
    mips: bool
    size: tuple[int, int]
    sha256: str
    holds: str = ""
    reads: list[KitRead] = []
    regions: list[str] = []
    parameter: str = ""
    choice: str = ""


class KitRegion(_Said, kw_only=True):
    """One region: where its coverage is."""

    id: str
    number: int
    name: str
    division: str
    flag: str
    sampler: str
    channel: Literal["r", "g", "b", "a"]


class KitDivision(_Said, kw_only=True):
    """One way in which the surface is divided, and what happens where its coverages overlap. Sums from 251 of 255 on
    count as one, and from 247 on they are brought toward it: 8 bits may have lost so much of shares that belong
    together."""

    id: str
    name: str
    overlap: Literal["exclusive", "layered", "additive"]


class KitCost(_Said, kw_only=True):
    """What a step costs a pixel where all its rows are in force: texture reads (texels that are fetched one by one
    count each), the bytes of one texel of each, and an estimate of arithmetic: operators and calls in its text."""

    reads: int
    bytes: int
    arithmetic: int


class KitStep(_Said, kw_only=True):
    """One step that is on, for people: the text of the recipe is in `recipe.glsl`."""

    id: str
    name: str
    kind: str
    rows: int
    formula: str
    source: str
    cost: KitCost | None = None


class KitAttribute(_Said, kw_only=True):
    """One field of `EpSurface`. holds: linear color, light that may exceed 1, data, or slopes x / z and y / z: x along
    the tangent (where u grows), y along the bitangent of a green-up normal map (against v, which runs down). Angles are
    in turns, counter-clockwise from the tangent toward that bitangent. constant: its value where no texel has
    another."""

    field: str
    glsl: Literal["float", "vec2", "vec3", "vec4"]
    neutral: list[float]
    holds: Literal["color", "light", "data", "slopes"]
    description: str
    constant: list[float] | None = None


class KitOpacity(_Said, kw_only=True):
    """How the opacity is meant: cut out below the threshold, blended, or not at all."""

    use: Literal["cut-out", "blend", "opaque"]
    threshold: float


class KitTime(_Said, kw_only=True):
    """How `seconds` may be counted. largest: beyond it float32 shows in what moves, so let it wrap before.
    repeats_after: after so many everything is as it was, so wrap there; null where that is longer than the largest or
    does not happen."""

    largest: float
    repeats_after: float | None


class KitPlace(_Said, kw_only=True):
    """Where a row of the table has a uniform: its texel, counted from 0, and components; a mat4 has four texels from
    there on, a column each."""

    uniform: str
    texel: Annotated[int, Meta(ge=0)]
    components: _Channels


class KitDraws(_Said, kw_only=True):
    """A parameter that chooses among textures, which no row can hold: rows whose number here is the same may be drawn
    together, with the texture of that number bound, counted in the order of the parameter's `choices`."""

    parameter: str
    choices: list[int]


class KitTable(_Said, kw_only=True):
    """All variants as one texture: `file`, little-endian float32 RGBA, `height` rows of `width` texels, read with
    texelFetch. rows: the variant of each row; the first is the defaults, `default`. Colors are linear light, switches 1
    and 0, choices and integers numbers. one_draw_each: what is chosen by a texture to bind."""

    file: str
    width: _Positive
    height: _Positive
    rows: list[str]
    places: list[KitPlace]
    one_draw_each: list[KitDraws] = []


class KitMap(_Said, kw_only=True):
    """One delivered map of a variant. strength: its decoded color is multiplied by it. green: of a normal map. alpha:
    what the fourth channel holds; it is never multiplied in."""

    file: str
    encoding: Literal["srgb", "data"]
    strength: float = 1.0
    green: Literal["up"] | None = None
    alpha: Literal["opacity"] | None = None


class KitVariant(_Said, kw_only=True):
    """One variant: the folder of its maps, relative to the folder that was delivered to (the one above `kit/`), and the
    value of every parameter, by uniform. maps: by attribute."""

    id: str
    name: str
    derives_from: str | None
    folder: str
    values: dict[str, AnyValue]
    maps: dict[str, KitMap] = {}


class KitDescription(_Said, kw_only=True):
    """The whole file."""

    format: Literal["even-palette-kit"] = FORMAT
    version: Literal[3] = VERSION
    notice: str
    name: str
    sheet: str
    recipe: str = "recipe.glsl"
    hlsl: str = "recipe.hlsl"
    light: str = "light.glsl"
    table: KitTable
    output: str
    time: KitTime | None = None
    parameters: list[KitParameter]
    textures: list[KitTexture]
    divisions: list[KitDivision]
    regions: list[KitRegion]
    steps: list[KitStep]
    attributes: list[KitAttribute]
    opacity: KitOpacity | None = None
    variants: list[KitVariant]


class KitSheet(_Said, kw_only=True):
    """A sheet of a kit: its name, which primitives of the mesh have as `extras.sheet`, and the folder that its
    `parameters.json` lies in."""

    name: str
    folder: str


class KitSet(_Said, kw_only=True):
    """`kit.json`: the sheets of a kit, and the mesh that they lie on, '' for none."""

    format: Literal["even-palette-kit-set"] = "even-palette-kit-set"
    version: Literal[1] = 1
    name: str
    mesh: str
    sheets: list[KitSheet]


def read_said(kind: type[_T], held: Any) -> _T:
    """What was read from JSON as one of these. Raises msgspec's ValidationError, which names the place."""
    return convert(held, kind, dec_hook=_value)


def _value(kind: Any, held: Any) -> Any:
    if not isinstance(held, dict):
        return convert(held, bool | int | float | list[float])
    for one in _OBJECTS:
        if held.keys() == set(one.__struct_fields__):
            return convert(held, one)
    raise ValueError("Known values are a color, a choice, a placement and a texture")


def value_of(held: Any) -> AnyValue:
    """A value as JSON has it as one of these. Raises ValueError."""
    return _value(None, held)


def uniform_of(value: AnyValue) -> Any:
    """A value as a shader is told it; None for a texture, which is bound."""
    if isinstance(value, _OBJECTS):
        return value.uniform
    return tuple(value) if isinstance(value, list) else int(value) if isinstance(value, bool) else value


def said_text(said: Struct) -> str:
    """One of these as the text of its file."""
    held = to_builtins(said)
    read_said(type(said), held)
    return json.dumps(held, indent=2, ensure_ascii=False) + "\n"


def schema_text() -> str:
    """The JSON Schema of the file, as it is published in docs/ and delivered beside it."""
    from msgspec.json import schema_components

    numbers = [{"type": "boolean"}, {"type": "number"}, {"type": "array", "items": {"type": "number"}}]
    objects = [{"$ref": f"#/$defs/{one.__name__}"} for one in _OBJECTS]
    (whole, *_), parts = schema_components(
        (KitDescription, *_OBJECTS),
        schema_hook=lambda _: {"anyOf": [*objects, *numbers]},
        ref_template="#/$defs/{name}",
    )
    schema = {"$schema": "https://json-schema.org/draft/2020-12/schema", **whole, "$defs": parts}
    return json.dumps(unwrapped(schema), indent=2) + "\n"
