"""Finish: how a region takes the light."""

from evenpalette.core.recipe.kind import StartingPoint, StepKind
from evenpalette.core.recipe.toward import replacing
from evenpalette.core.values import Input, ValueType


def _point(
    name: str, metallic: float, roughness: float, coat: float, coat_roughness: float = 0.05, *, brushed: bool = False
) -> StartingPoint:
    return StartingPoint(
        name,
        {
            "metallic": metallic,
            "roughness": roughness,
            "coat": coat,
            "coat_roughness": coat_roughness,
            "brushed": brushed,
        },
    )


KIND = StepKind(
    key="finish",
    label="Finish",
    summary="Metallic, roughness and coat, row by row",
    inputs=(
        Input("roughness", "Roughness", ValueType.NUMBER, 0.5, unit="share", description="0 is a mirror, 1 is chalk"),
        Input("metallic", "Metallic", ValueType.NUMBER, 0.0, unit="share", description="0 is a dielectric, 1 a metal"),
        Input("coat", "Coat", ValueType.NUMBER, 0.0, unit="share", description="A clear layer on top, as lacquer"),
        Input("coat_roughness", "Coat roughness", ValueType.NUMBER, 0.05, unit="share", description="Of the clear layer"),
        Input("brushed", "Brushed", ValueType.SWITCH, False, description="Draws highlights out along fine scratches"),
        Input("anisotropy", "Drawn out", ValueType.NUMBER, 0.7, unit="share", description="How far, where it is brushed"),
        Input("angle", "Direction", ValueType.NUMBER, 0.0, 0.0, 1.0, description="In turns, of the scratches, from u counter-clockwise; 0.25 is up the texture"),
    ),
    ops=(
        replacing("finish", "metallic", "metallic"),
        replacing("finish", "roughness", "roughness"),
        replacing("finish", "coat", "coat"),
        replacing("finish", "coat_roughness", "coat_roughness"),
        replacing("finish", "anisotropy", "anisotropy", "brushed"),
        replacing("finish", "anisotropy_angle", "angle", "brushed"),
    ),
    examples=({"metallic": 0.8, "roughness": 0.3, "coat": 0.6, "coat_roughness": 0.2, "brushed": True, "anisotropy": 0.6, "angle": 0.3},),
    own=("roughness", "metallic", "coat", "coat_roughness", "brushed", "anisotropy", "angle"),
    starting_points=(
        _point("Matte", 0.0, 0.5, 0.0), _point("Satin", 0.0, 0.2, 0.0), _point("Gloss", 0.0, 0.08, 0.0),
        _point("Chalk", 0.0, 0.95, 0.0), _point("Bare metal", 1.0, 0.25, 0.0), _point("Brushed metal", 1.0, 0.45, 0.0, brushed=True),
        _point("Lacquer", 0.0, 0.4, 1.0), _point("Wax", 0.0, 0.55, 0.5, 0.35),
    ),
    formula="metallic, roughness, coat and coat roughness replaced by the values, anisotropy and its angle where it is brushed",
    source="glTF 2.0 metallic-roughness, KHR_materials_clearcoat and KHR_materials_anisotropy; the starting points are common practice, no source",
    order=45,
    words="metal gloss satin matte roughness coat lacquer",
)  # fmt: skip
