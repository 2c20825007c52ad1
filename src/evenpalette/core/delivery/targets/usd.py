"""OpenUSD: the mesh with a variant set of UsdPreviewSurface materials, `<project>.usda` and its textures beside it.

Needs the optional extra `usd` (usd-core). What a preview surface cannot say, tinted highlights, anisotropy and strands,
is listed in the file.
"""

import hashlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from evenpalette.core.color.encoding import decode_precisely
from evenpalette.core.delivery.kit_set import parts_of
from evenpalette.core.delivery.kit_textures import leaves_tile
from evenpalette.core.delivery.plan import DeliveryPlan
from evenpalette.core.delivery.render import Map, delivered_size, render_variants
from evenpalette.core.delivery.target import Delivered, Target
from evenpalette.core.document.project import OpacityUse
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import identifier, safe_name, unique_identifiers
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.parallel import Progress, part_of
from evenpalette.core.raster.formats.png import encode_png
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import (
    BASE_COLOR,
    COAT,
    COAT_ROUGHNESS,
    CUT,
    EMISSIVE,
    METALLIC,
    NORMAL,
    OCCLUSION,
    ROUGHNESS,
)

#: Attributes by the input of UsdPreviewSurface that takes them.
_INPUTS = {
    BASE_COLOR: "diffuseColor", METALLIC: "metallic", ROUGHNESS: "roughness", OCCLUSION: "occlusion", NORMAL: "normal", EMISSIVE: "emissiveColor",
    COAT: "clearcoat", COAT_ROUGHNESS: "clearcoatRoughness",
}  # fmt: skip
_SET = "look"


def write(plan: DeliveryPlan, delivered: Delivered, folder: Path, progress: Progress) -> None:
    """One stage with all variants. Raises EvenPaletteError without the library or a mesh."""
    try:
        from pxr import Kind, Sdf, Usd, UsdGeom, UsdShade
    except ImportError as error:
        raise EvenPaletteError(
            "OpenUSD needs the extra 'usd': pip install 'evenpalette[usd]'. Or deliver without it."
        ) from error
    state = plan.state
    if state.mesh is None:
        raise EvenPaletteError("An OpenUSD stage needs the mesh, and this project has none.")
    name = safe_name(state.project.name)
    file = folder / f"{name}.usda"
    stage = Usd.Stage.CreateNew(str(file))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    root = UsdGeom.Xform.Define(stage, f"/{identifier(name)}")
    stage.SetDefaultPrim(root.GetPrim())
    Usd.ModelAPI(root.GetPrim()).SetKind(Kind.Tokens.component)
    textures = _Textures(folder, f"{name}_textures", leaves_tile(state))
    mesh, shapes = state.mesh.whole.mesh, []
    for number, part in enumerate(parts_of(state)):
        if len(part.faces):
            path = root.GetPath().AppendChild(f"part_{number}_{identifier(str(part.extras['group']))}")
            shapes.append((_shape(stage, path, mesh, part.faces, UsdGeom, Sdf), str(part.extras["sheet"])))
    variants = root.GetPrim().GetVariantSets().AddVariantSet(_SET)
    words = unique_identifiers([variant.name for variant in plan.variants])
    unsaid: set[str] = set()
    made: dict[tuple[str, int], Any] = {}
    for number, sheet in enumerate(plan.sheets):
        on = state.on(sheet.id)
        wanted = [key for key in _INPUTS if key in on.attributes]
        unsaid |= set(on.attributes) - set(_INPUTS) - {"opacity"}
        share = part_of(progress, number / len(plan.sheets), 1 / len(plan.sheets))
        rendered = render_variants(
            on,
            [v.id for v in plan.variants],
            wanted,
            delivered_size(on, plan.longest),
            progress=share,
            workers=plan.workers,
        )
        for k, maps in enumerate(rendered):
            path = root.GetPath().AppendPath(f"materials/{words[k]}_{number}")
            made[on.sheet.name, k] = _material(stage, path, maps, on.sheet.opacity, textures, Sdf, UsdShade)
    for k, word in enumerate(words):
        variants.AddVariant(word)
        variants.SetVariantSelection(word)
        with variants.GetVariantEditContext():
            for shape, sheet_name in shapes:
                UsdShade.MaterialBindingAPI.Apply(shape.GetPrim()).Bind(made[sheet_name, k])
    variants.SetVariantSelection(words[0])
    if unsaid:
        said = f"A preview surface cannot say: {', '.join(sorted(unsaid))}."
        stage.SetMetadata("comment", said)
        delivered.notes.append(f"OpenUSD: {said}")
    stage.GetRootLayer().Save()


class _Textures:
    """Pictures beside the stage, one for all that have the same texels."""

    def __init__(self, folder: Path, name: str, repeats: bool) -> None:
        self._folder, self._name, self.repeats = folder, name, repeats
        self._known: dict[bytes, str] = {}

    def place(self, pixels: np.ndarray, stem: str) -> str:
        content = np.ascontiguousarray(pixels)
        key = hashlib.sha256(repr(content.shape).encode() + content.tobytes()).digest()
        if key not in self._known:
            where = f"{self._name}/{stem}_{len(self._known)}.png"
            (self._folder / self._name).mkdir(exist_ok=True)
            (self._folder / where).write_bytes(encode_png(Raster(content, Encoding.DATA)))
            self._known[key] = f"./{where}"
        return self._known[key]


def _shape(stage: Any, path: Any, mesh: Mesh, faces: np.ndarray, geom: Any, sdf: Any) -> Any:
    """A part of the mesh; its texture coordinates count upward."""
    made = geom.Mesh.Define(stage, path)
    corners = mesh.faces[faces]
    used, index = np.unique(corners, return_inverse=True)
    made.CreatePointsAttr([tuple(map(float, p)) for p in mesh.positions[used]])
    made.CreateFaceVertexCountsAttr([3] * len(faces))
    made.CreateFaceVertexIndicesAttr(np.asarray(index).reshape(-1).tolist())
    made.CreateSubdivisionSchemeAttr("none")
    made.CreateNormalsAttr([tuple(map(float, n)) for n in mesh.normals[faces].reshape(-1, 3)])
    made.SetNormalsInterpolation(geom.Tokens.faceVarying)
    if mesh.uvs is not None:
        st = geom.PrimvarsAPI(made).CreatePrimvar("st", sdf.ValueTypeNames.TexCoord2fArray, geom.Tokens.faceVarying)
        st.Set([(float(u), float(1 - v)) for u, v in mesh.uvs[faces].reshape(-1, 2)])
    low, high = mesh.positions[used].min(0), mesh.positions[used].max(0)
    made.CreateExtentAttr([tuple(map(float, low)), tuple(map(float, high))])
    return made


def _material(
    stage: Any, path: Any, maps: Mapping[str, Map], opacity: OpacityUse, textures: _Textures, sdf: Any, shade: Any
) -> Any:
    types = sdf.ValueTypeNames
    made = shade.Material.Define(stage, path)
    surface = shade.Shader.Define(stage, path.AppendChild("surface"))
    surface.CreateIdAttr("UsdPreviewSurface")
    made.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
    place = shade.Shader.Define(stage, path.AppendChild("place"))
    place.CreateIdAttr("UsdPrimvarReader_float2")
    place.CreateInput("varname", types.String).Set("st")
    for key, word in _INPUTS.items():
        if key not in maps:
            continue
        pixels, strength = maps[key].raster.pixels, maps[key].strength
        is_color, is_normal = key in (BASE_COLOR, EMISSIVE), key == NORMAL
        flat = (pixels == pixels[0, 0]).all()
        kind = types.Normal3f if is_normal else types.Color3f if is_color else types.Float
        input = surface.CreateInput(word, kind)
        if flat and not is_normal:
            e = pixels[0, 0].astype(float) / 255
            linear = decode_precisely(e) * strength
            input.Set(tuple(map(float, linear[:3])) if is_color else float(e[0]))
        if flat:
            continue
        read = shade.Shader.Define(stage, path.AppendChild(key))
        read.CreateIdAttr("UsdUVTexture")
        read.CreateInput("file", types.Asset).Set(textures.place(pixels, key))
        read.CreateInput("st", types.Float2).ConnectToSource(place.ConnectableAPI(), "result")
        read.CreateInput("sourceColorSpace", types.Token).Set("sRGB" if is_color else "raw")
        wrap = "repeat" if textures.repeats else "clamp"
        for axis in ("wrapS", "wrapT"):
            read.CreateInput(axis, types.Token).Set(wrap)
        if is_normal:
            read.CreateInput("scale", types.Float4).Set((2.0, 2.0, 2.0, 1.0))
            read.CreateInput("bias", types.Float4).Set((-1.0, -1.0, -1.0, 0.0))
        elif strength > 1:
            read.CreateInput("scale", types.Float4).Set((strength, strength, strength, 1.0))
        output = "rgb" if is_color or is_normal else "r"
        read.CreateOutput(output, types.Float3 if output == "rgb" else types.Float)
        input.ConnectToSource(read.ConnectableAPI(), output)
        if key == BASE_COLOR and pixels.shape[2] == 4:
            read.CreateOutput("a", types.Float)
            surface.CreateInput("opacity", types.Float).ConnectToSource(read.ConnectableAPI(), "a")
            if opacity is OpacityUse.CUT_OUT:
                surface.CreateInput("opacityThreshold", types.Float).Set(CUT)
    return made


TARGET = Target(
    "usd", "OpenUSD", "The mesh with a variant set of preview surfaces (needs the extra 'usd')", 50, write, weight=30.0
)
