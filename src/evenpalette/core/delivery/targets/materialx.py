"""MaterialX: a surface of standard nodes around a node that carries the recipe, `<project>.mtlx`, its textures
and texts beside it.

MaterialX Specification 1.39. The recipe is a node of its own with a definition: a graph of standard nodes, or where
there is none for something in it, the kit's text for hardware (genglsl). Normal map, surface and material are standard
nodes, variants are a variant set with a look for each. What a glTF surface cannot say is listed in the file.
"""

from pathlib import Path
from xml.etree.ElementTree import Element, ElementTree, SubElement, indent

import numpy as np

from evenpalette.core.delivery.kit_textures import leaves_tile
from evenpalette.core.delivery.layout import PlannedTexture, planned_textures
from evenpalette.core.delivery.plan import DeliveryPlan, PlannedVariant
from evenpalette.core.delivery.target import Delivered, Target
from evenpalette.core.document.kit_text import function_text
from evenpalette.core.document.project import OpacityUse
from evenpalette.core.document.state import State
from evenpalette.core.files import identifier, safe_name, unique_identifiers
from evenpalette.core.parallel import Progress
from evenpalette.core.raster.formats.exr import encode_exr_of
from evenpalette.core.raster.image_write import encode_image
from evenpalette.core.raster.raster import Encoding
from evenpalette.core.recipe.attributes import (
    ANISOTROPY,
    ANISOTROPY_ANGLE,
    BASE_COLOR,
    COAT,
    COAT_ROUGHNESS,
    CUT,
    EMISSIVE,
    HIGHLIGHT_TINT,
    METALLIC,
    NORMAL,
    OCCLUSION,
    OPACITY,
    ROUGHNESS,
)
from evenpalette.core.recipe.languages.materialx import (
    NodeGraph,
    NodePort,
    function_of,
    graph_of,
    inputs_of,
    outputs_of,
)
from evenpalette.core.recipe.languages.node_values import UnsayableError
from evenpalette.core.recipe.shader import kit_table
from evenpalette.core.values import Value

#: Attributes by the input of gltf_pbr that takes them; the normal goes through a normalmap.
_INPUTS = {
    BASE_COLOR: "base_color", METALLIC: "metallic", ROUGHNESS: "roughness", OCCLUSION: "occlusion", EMISSIVE: "emissive", COAT: "clearcoat",
    COAT_ROUGHNESS: "clearcoat_roughness", HIGHLIGHT_TINT: "specular_color", OPACITY: "alpha", ANISOTROPY: "anisotropy_strength",
}  # fmt: skip
_SET, _NODE = "variants", "surface"


def write(plan: DeliveryPlan, delivered: Delivered, folder: Path, progress: Progress) -> None:
    """One document for all sheets and variants."""
    state = plan.state
    name = safe_name(state.project.name)
    beside = f"{name}_materialx"
    (folder / beside).mkdir()
    root = Element("materialx", version="1.39", colorspace="lin_rec709")
    words = unique_identifiers([variant.name for variant in plan.variants])
    places = unique_identifiers([state.on(s.id).sheet.name for s in plan.sheets])
    unsaid: set[str] = set()
    looks = [Element("look", name=word) for word in words]
    for number, (sheet, place) in enumerate(zip(plan.sheets, places, strict=True)):
        on = state.on(sheet.id)
        stem = f"{identifier(name)}_{place}"
        unsaid |= _sheet(on, stem, root, delivered, folder, beside, plan.variants, words, plan.kit_longest)
        for look, word in zip(looks, words, strict=True):
            SubElement(
                look,
                "materialassign",
                name=place,
                geom="*" if len(plan.sheets) == 1 else f"/{place}",
                material=f"{stem}_material",
            )
            SubElement(look, "variantassign", name=f"{place}_{_SET}", variantset=f"{stem}_{_SET}", variant=word)
        progress((number + 1) / len(plan.sheets))
    for look in looks:
        root.append(look)
    if unsaid:
        said = f"A glTF surface cannot say: {', '.join(sorted(unsaid))}. The node of the recipe has them as outputs."
        root.set("doc", said)
        delivered.notes.append(f"MaterialX: {said}")
    indent(root)
    ElementTree(root).write(folder / f"{name}.mtlx", "utf-8", xml_declaration=True)


def _sheet(
    on: State, stem: str, root: Element, delivered: Delivered, folder: Path, beside: str, variants: tuple[PlannedVariant, ...], words: list[str], longest: int,
) -> set[str]:  # fmt: skip
    """A sheet's definitions, material and variant set; returns what its surface cannot say."""
    text = function_text(on)
    inputs, outputs = inputs_of(text), outputs_of(text)
    textures, wraps = planned_textures(on, text), leaves_tile(on)
    files = {(t.sampler, t.choice): f"{beside}/{_texture(t, folder / beside, stem, longest)}" for t in textures}
    names = {place.uniform: place.parameter for place in kit_table(on.project.recipe).places}
    defaults = on.values(None)

    def told(port: NodePort, values: dict[str, Value]) -> str:
        """The value of an input, '' for none."""
        if port.type == "filename":
            sampled = text.textures.get(port.name)
            choice = sampled.chosen(values) if sampled is not None and sampled.parameter else ""
            return files[port.name, choice]
        if port.name not in names:
            return "0" if port.name in ("seconds", "copy") else ""
        numbers = names[port.name].input.numbers(values[names[port.name].id])
        return ", ".join(str(round(v)) if port.type == "integer" else f"{v:.9g}" for v in np.ravel(numbers))

    recipe, surface = f"{stem}_recipe", f"{stem}_{_NODE}"
    for node, ends in ((recipe, [(p.name, p.type) for p in outputs]), (surface, [("out", "surfaceshader")])):
        definition = SubElement(root, "nodedef", name=f"ND_{node}", node=node, nodegroup="material")
        _ports(definition, inputs, lambda port: told(port, defaults))
        for key, kind in ends:
            SubElement(definition, "output", name=key, type=kind)
    try:
        _standard(
            root, recipe, graph_of(text), {t.sampler: "periodic" if t.repeats or wraps else "clamp" for t in textures}
        )
    except UnsayableError as error:
        delivered.notes.append(f"MaterialX: {on.sheet.name} is a node in GLSL: no standard node says {error}.")
        (folder / beside / f"{stem}.glsl").write_text(function_of(text, f"ep_recipe_{stem}"), "utf-8")
        SubElement(
            root, "implementation", name=f"IM_{recipe}_genglsl", nodedef=f"ND_{recipe}", target="genglsl",
            file=f"{beside}/{stem}.glsl", function=f"ep_recipe_{stem}",
            doc=f"No standard node says {error}.",
        )  # fmt: skip
    unsaid = _graph(on, root, recipe, surface, inputs, outputs)
    shader = SubElement(root, surface, name=f"{stem}_shader", type="surfaceshader")
    _ports(shader, [port for port in inputs if port.name != "uv"], lambda port: told(port, defaults))
    material = SubElement(root, "surfacematerial", name=f"{stem}_material", type="material")
    SubElement(material, "input", name="surfaceshader", type="surfaceshader", nodename=f"{stem}_shader")
    held = SubElement(root, "variantset", name=f"{stem}_{_SET}")
    for variant, word in zip(variants, words, strict=True):
        values = on.values(variant.id)
        one = SubElement(held, "variant", name=word, doc="".join(c for c in variant.name if c.isprintable()))
        changed = [p for p in inputs if p.name != "uv" and told(p, values) != told(p, defaults)]
        _ports(one, changed, lambda port, values=values: told(port, values))
    return unsaid


def _standard(root: Element, recipe: str, graph: NodeGraph, wraps: dict[str, str]) -> None:
    """The recipe's node as a graph of standard ones. wraps: how each texture goes on beyond its border."""
    made = SubElement(root, "nodegraph", name=f"NG_{recipe}", nodedef=f"ND_{recipe}")
    for node in graph.nodes:
        one = SubElement(made, node.does, name=node.name, type=node.type)
        for name, kind, value in node.inputs:
            port = SubElement(one, "input", name=name, type=kind)
            if value.node:
                port.set("nodename", value.node)
            elif value.given:
                port.set("interfacename", value.given)
            else:
                numbers = value.known or ()
                port.set("value", ", ".join(str(int(v)) if kind == "integer" else f"{v:.9g}" for v in numbers))
            if kind == "filename":
                for side in ("uaddressmode", "vaddressmode"):
                    SubElement(one, "input", name=side, type="string", value=wraps[value.given])
    types = {node.name: node.type for node in graph.nodes}
    for name, source in graph.outputs.items():
        SubElement(made, "output", name=name, type=types[source], nodename=source)


def _ports(parent: Element, ports: list[NodePort], told: object) -> None:
    for port in ports:
        made = SubElement(parent, "input", name=port.name, type=port.type)
        value = told(port)  # type: ignore[operator]
        if value:
            made.set("value", value)
        if port.name == "uv" and parent.tag == "nodedef":
            made.set("defaultgeomprop", "UV0")
        if port.type == "filename" and parent.tag == "nodedef":
            made.set("uniform", "true")


def _graph(
    on: State, root: Element, recipe: str, surface: str, inputs: list[NodePort], outputs: list[NodePort]
) -> set[str]:
    """The surface of standard nodes that the recipe feeds."""
    graph = SubElement(root, "nodegraph", name=f"NG_{surface}", nodedef=f"ND_{surface}")
    alone = len(outputs) == 1
    made = SubElement(graph, recipe, name="recipe", type=outputs[0].type if alone else "multioutput")
    for port in inputs:
        SubElement(made, "input", name=port.name, type=port.type, interfacename=port.name)
    keys = [port.name for port in outputs]

    def connect(to: Element, input: str, type: str, key: str) -> None:
        """Have an output of the recipe in an input."""
        made = SubElement(to, "input", name=input, type=type, nodename="recipe")
        if not alone:
            made.set("output", key)

    if NORMAL in keys:
        bent = SubElement(graph, "normalmap", name="bent", type="vector3")
        connect(bent, "in", "vector3", NORMAL)
    if ANISOTROPY in keys and ANISOTROPY_ANGLE in keys:
        turned = SubElement(graph, "multiply", name="turned", type="float")
        connect(turned, "in1", "float", ANISOTROPY_ANGLE)
        SubElement(turned, "input", name="in2", type="float", value=f"{2 * np.pi:.9g}")
    shading = SubElement(graph, "gltf_pbr", name="shading", type="surfaceshader")
    for port in outputs:
        if port.name in _INPUTS:
            connect(shading, _INPUTS[port.name], port.type, port.name)
    if NORMAL in keys:
        SubElement(shading, "input", name="normal", type="vector3", nodename="bent")
    said = {*_INPUTS, NORMAL}
    if ANISOTROPY in keys and ANISOTROPY_ANGLE in keys:
        SubElement(shading, "input", name="anisotropy_rotation", type="float", nodename="turned")
        said.add(ANISOTROPY_ANGLE)
    if OPACITY in keys:
        mode = {OpacityUse.OPAQUE: 0, OpacityUse.CUT_OUT: 1, OpacityUse.BLEND: 2}[on.sheet.opacity]
        SubElement(shading, "input", name="alpha_mode", type="integer", value=str(mode))
        SubElement(shading, "input", name="alpha_cutoff", type="float", value=f"{CUT:.9g}")
    SubElement(graph, "output", name="out", type="surfaceshader", nodename="shading")
    return set(keys) - said


def _texture(planned: PlannedTexture, folder: Path, stem: str, longest: int) -> str:
    """Write a texture; returns its file. Color is stored as linear light in half floats: a generator that knows no
    other textures than its own would not decode it before it is filtered."""
    raster = planned.raster.thumbnail(longest) if longest > 0 and not planned.exact else planned.raster
    if raster.encoding is Encoding.DATA and raster.pixels.dtype != np.float32:
        file, content = f"{stem}-{planned.stem}.png", encode_image(raster, ".png")
    else:
        values = raster.as_linear()
        if values.shape[2] == 2:
            values = np.concatenate([np.repeat(values[..., :1], 3, 2), values[..., 1:]], 2)
        file, content = f"{stem}-{planned.stem}.exr", encode_exr_of(values, half=True)
    (folder / file).write_bytes(content)
    return file


TARGET = Target(
    "materialx", "MaterialX", "The recipe as a node of a MaterialX document, with a look for each variant", 60, write
)
