"""glTF: the mesh with all variants as materials, `<project>.glb`, for every program that reads open scenes."""

from pathlib import Path

from evenpalette.core.delivery.gltf_materials import SAID, Materials
from evenpalette.core.delivery.kit_set import parts_of
from evenpalette.core.delivery.kit_textures import leaves_tile
from evenpalette.core.delivery.plan import DeliveryPlan
from evenpalette.core.delivery.render import delivered_size, render_variants
from evenpalette.core.delivery.target import Delivered, Target
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import safe_name
from evenpalette.core.mesh.write_glb import Binary, Part, glb, primitives
from evenpalette.core.parallel import Progress, part_of


def write(plan: DeliveryPlan, delivered: Delivered, folder: Path, progress: Progress) -> None:
    """One file; a material for each variant and sheet, the first variant as the default."""
    state = plan.state
    if state.mesh is None:
        raise EvenPaletteError(
            "A glTF file needs the mesh, and this project has none. Deliver without glTF, or bring a mesh in."
        )
    binary = Binary()
    materials = Materials(binary, leaves_tile(state))
    of_sheet: dict[str, list[int]] = {}
    for number, sheet in enumerate(plan.sheets):
        on = state.on(sheet.id)
        wanted = [key for key in SAID if key in on.attributes]
        share = part_of(progress, number / len(plan.sheets), 1 / len(plan.sheets))
        ids = [variant.id for variant in plan.variants]
        made = render_variants(on, ids, wanted, delivered_size(on, plan.longest), progress=share, workers=plan.workers)
        several = f", {on.sheet.name}" if len(plan.sheets) > 1 else ""
        of_sheet[on.sheet.name] = [
            materials.add(variant.name + several, maps, on.sheet.opacity)
            for variant, maps in zip(plan.variants, made, strict=True)
        ]
    parts = [
        Part(part.faces, part.extras, of_sheet[str(part.extras["sheet"])][0])
        for part in parts_of(state)
        if len(part.faces)
    ]
    shapes = primitives(state.mesh.whole.mesh, parts, binary, colors=False)
    for shape, part in zip(shapes, parts, strict=True):
        mapped = [{"material": m, "variants": [k]} for k, m in enumerate(of_sheet[str(part.extras["sheet"])])]
        shape["extensions"] = {"KHR_materials_variants": {"mappings": mapped}}
    name = state.project.name
    document = {
        "extensionsUsed": sorted({"KHR_materials_variants", *materials.used}),
        "extensions": {"KHR_materials_variants": {"variants": [{"name": variant.name} for variant in plan.variants]}},
        "scene": 0, "scenes": [{"name": name, "nodes": [0]}], "nodes": [{"name": name, "mesh": 0}],
        "meshes": [{"name": name, "primitives": shapes}], "materials": materials.materials,
    }  # fmt: skip
    if materials.textures:
        document |= {"textures": materials.textures, "images": materials.images, "samplers": materials.samplers}
    (folder / f"{safe_name(name)}.glb").write_bytes(glb(document, binary))


TARGET = Target("gltf", "glTF", "The mesh with all variants as materials, one file", 40, write, weight=30.0)
