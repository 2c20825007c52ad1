"""The surface: the attributes that a recipe makes of a texel.

Meaning as in glTF 2.0 and its ratified extensions: metallic-roughness, KHR_materials_clearcoat (coat),
KHR_materials_specular (highlight tint), KHR_materials_anisotropy and KHR_materials_emissive_strength. Strands are the
two shifted highlights of Kajiya and Kay 1989 and Scheuermann 2004.
"""

from enum import Enum

from evenpalette.core.dataclass import dataclass
from evenpalette.core.errors import RecipeError


class Holds(Enum):
    """How an attribute is delivered: sRGB color, color that may exceed 1, plain data, tangent slopes as a normal
    map."""

    COLOR = "color"
    LIGHT = "light"
    DATA = "data"
    SLOPES = "slopes"


@dataclass(frozen=True)
class Attribute:
    """One attribute: its words, its neutral value (one number for each plane), how it is delivered."""

    key: str
    label: str
    neutral: tuple[float, ...]
    holds: Holds
    description: str

    @property
    def planes(self) -> int:
        """How many numbers it has."""
        return len(self.neutral)

    @property
    def glsl(self) -> str:
        """Its type in shaders."""
        return "float" if self.planes == 1 else f"vec{self.planes}"

    @property
    def glsl_neutral(self) -> str:
        """Its neutral value in shaders."""
        numbers = ", ".join(repr(float(value)) for value in self.neutral)
        return numbers if self.planes == 1 else f"{self.glsl}({numbers})"


BASE_COLOR, OPACITY, METALLIC, ROUGHNESS, OCCLUSION = "base_color", "opacity", "metallic", "roughness", "occlusion"
NORMAL, EMISSIVE, COAT, COAT_ROUGHNESS = "normal", "emissive", "coat", "coat_roughness"
HIGHLIGHT_TINT, ANISOTROPY, ANISOTROPY_ANGLE = "highlight_tint", "anisotropy", "anisotropy_angle"
STRANDS, STRAND_TINT, STRAND_SHAPE = "strands", "strand_tint", "strand_shape"

#: The least z of a unit vector that slopes are taken from: steeper ones are held at 89 degrees.
STEEPEST = 0.0175
#: Below this opacity a surface that is cut out is not there.
CUT = 0.5

ATTRIBUTES: dict[str, Attribute] = {
    made.key: made
    for made in (
        Attribute(BASE_COLOR, "Base color", (0.0, 0.0, 0.0), Holds.COLOR, "Linear Rec. 709"),
        Attribute(OPACITY, "Opacity", (1.0,), Holds.DATA, "1 is opaque"),
        Attribute(METALLIC, "Metallic", (0.0,), Holds.DATA, "0 is a dielectric, 1 a metal"),
        Attribute(ROUGHNESS, "Roughness", (0.5,), Holds.DATA, "0 is a mirror"),
        Attribute(OCCLUSION, "Occlusion", (1.0,), Holds.DATA, "1 is open"),
        Attribute(NORMAL, "Normal", (0.0, 0.0), Holds.SLOPES, "Tangent-space slopes x / z and y / z, green up"),
        Attribute(EMISSIVE, "Emissive", (0.0, 0.0, 0.0), Holds.LIGHT, "Linear light that it sends out; may exceed 1"),
        Attribute(COAT, "Coat", (0.0,), Holds.DATA, "A clear layer on top"),
        Attribute(COAT_ROUGHNESS, "Coat roughness", (0.05,), Holds.DATA, "0 is a mirror"),
        Attribute(HIGHLIGHT_TINT, "Highlight tint", (1.0, 1.0, 1.0), Holds.COLOR, "Color of a dielectric's highlight"),
        Attribute(ANISOTROPY, "Anisotropy", (0.0,), Holds.DATA, "How far highlights are drawn out"),
        Attribute(ANISOTROPY_ANGLE, "Anisotropy angle", (0.0,), Holds.DATA, "In turns, from the tangent"),
        Attribute(
            STRANDS, "Strands", (0.0,), Holds.DATA, "1 takes the light as strands do, along the anisotropy angle"
        ),
        Attribute(
            STRAND_TINT, "Second highlight", (1.0, 1.0, 1.0), Holds.COLOR, "Tint of the second highlight of strands"
        ),
        Attribute(
            STRAND_SHAPE,
            "Strand shape",
            (0.5, 0.2, 0.5, 0.4),
            Holds.DATA,
            "Shift (0.5 is none) and width of both highlights",
        ),
    )
}


def attribute_named(name: str) -> Attribute:
    """The attribute of this key, `-` for `_` allowed. Raises RecipeError with those that there are."""
    key = name.strip().lower().replace("-", "_")
    if key not in ATTRIBUTES:
        raise RecipeError(f"'{name}' is no attribute of a surface. There are: {', '.join(ATTRIBUTES)}.")
    return ATTRIBUTES[key]
