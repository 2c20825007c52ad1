"""What `kit/parameters.json` holds, as models: its JSON Schema is made from them."""

import json
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

FORMAT: Literal["even-palette-kit"] = "even-palette-kit"
VERSION: Literal[2] = 2


class _Said(BaseModel):
    model_config = ConfigDict(extra="forbid")


class ColorValue(_Said):
    """A color, as sRGB hex and as linear Rec. 709 light for the uniform."""

    hex: str
    linear: tuple[float, float, float]


class ChoiceValue(_Said):
    """A choice by its word and by the integer for the uniform."""

    choice: str
    index: int


#: A number as it is; a switch as true or false, 1 or 0 for the uniform.
AnyValue = ColorValue | ChoiceValue | bool | float


class KitParameter(_Said):
    """One parameter. `id` stays when the artist renames it; `uniform` may not."""

    id: str
    uniform: str
    glsl: Literal["vec3", "float", "int"]
    name: str
    type: Literal["color", "number", "choice", "switch"]
    range: tuple[float, float] | None = None
    unit: str = ""
    choices: list[str] = []
    default: AnyValue
    group: str = ""
    description: str = ""


class KitTexture(_Said):
    """One texture in `textures/`, and how to set it up. The first row of the file is at v = 0.

    channels: in the file. bits: 8, 16 or 32 (float) a channel. encoding: `srgb` is decoded when it is read, `data` is
    not. alpha: whether the file has one, which is data and never premultiplied. filter: `linear` is bilinear in a level,
    with `mips` between levels too.
    """

    sampler: str
    file: str
    channels: int = Field(ge=1, le=4)
    bits: Literal[8, 16, 32]
    encoding: Literal["srgb", "data"]
    alpha: Literal["none", "data"]
    wrap: Literal["clamp", "repeat"]
    filter: Literal["linear"]
    mips: bool
    size: tuple[int, int]
    sha256: str
    holds: str = ""
    regions: list[str] = []


class KitRegion(_Said):
    """One region: where its coverage is."""

    id: str
    number: int
    name: str
    division: str
    flag: str
    sampler: str
    channel: Literal["r", "g", "b", "a"]


class KitDivision(_Said):
    """One way in which the surface is divided, and what happens where its coverages overlap."""

    id: str
    name: str
    overlap: Literal["exclusive", "layered", "additive"]


class KitStep(_Said):
    """One step that is on, for people: the text of the recipe is in `recipe.glsl`."""

    id: str
    name: str
    kind: str
    rows: int
    formula: str
    source: str


class KitVariant(_Said):
    """One variant: the folder of its maps and the value of every parameter, by uniform."""

    id: str
    name: str
    derives_from: str | None
    folder: str
    values: dict[str, AnyValue]


class KitDescription(_Said):
    """The whole file."""

    format: Literal["even-palette-kit"] = FORMAT
    version: Literal[2] = VERSION
    notice: str
    name: str
    sheet: str
    recipe: str = "recipe.glsl"
    output: str
    parameters: list[KitParameter]
    textures: list[KitTexture]
    divisions: list[KitDivision]
    regions: list[KitRegion]
    steps: list[KitStep]
    variants: list[KitVariant]


def schema_text() -> str:
    """The JSON Schema of the file, as it is published in docs/ and delivered beside it."""
    schema: dict[str, Any] = {"$schema": "https://json-schema.org/draft/2020-12/schema"}
    return json.dumps(schema | KitDescription.model_json_schema(), indent=2) + "\n"
