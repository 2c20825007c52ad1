"""What a delivered file depends on, as one word: where it is the same, the file is."""

import hashlib
import json
from collections.abc import Sequence

from evenpalette import __version__
from evenpalette.core.delivery.plan import DeliveryPlan, PlannedSheet, PlannedVariant
from evenpalette.core.delivery.render import delivered_size
from evenpalette.core.document.project import with_sources
from evenpalette.core.document.state import State
from evenpalette.core.raster.digest import digest
from evenpalette.core.recipe.steps import KINDS


def fingerprint(state: State, variant_id: str | None, *what: object) -> str:
    """A word, 32 hexadecimal digits, for everything that pictures of a variant on the state's sheet are made from: its
    steps, regions, textures and coverages, the values that the variant has, the version of this program. what: all else
    that decides, as text: sizes, attributes, a line of a layout."""
    made = hashlib.blake2b(digest_size=16)

    def add(content: bytes | str) -> None:
        raw = content.encode("utf-8", "surrogatepass") if isinstance(content, str) else content
        made.update(len(raw).to_bytes(8, "little"))
        made.update(raw)

    project = state.project
    add(__version__)
    # Where files came from decides nothing.
    add(with_sources(project, lambda _: "").sheet.model_dump_json())
    for step in state.sheet.steps:
        # Of a kind that is not ours the code may change while our version does not.
        add(KINDS.words.get(step.kind, ""))
    for parameter in project.parameters:
        # What a variant has for it counts, not what others would begin with.
        add(parameter.model_dump_json(exclude={"default", "description", "group"}))
    values = state.values(variant_id)
    add(json.dumps({key: str(values[key]) for key in sorted(values)}))
    for part in what:
        add(str(part))
    for key, raster in sorted(state.textures.items()):
        add(f"{key} {raster.encoding}")
        add(digest(raster.pixels))
    for region in state.region_ids:
        add(region)
        add(digest(state.coverages[region]) if region in state.coverages else b"")
    if state.tone is not None:
        add(f"tone {state.tone.encoding}")
        add(digest(state.tone.pixels))
    if state.mesh is not None and state.mesh.mesh.uvs is not None:
        # Which texels are in use, for padding.
        add(digest(state.mesh.mesh.uvs))
    return made.hexdigest()


def images_word(plan: DeliveryPlan, variant: PlannedVariant, sheet: PlannedSheet) -> str:
    """Of the pictures of a variant on a sheet."""
    on = plan.state.on(sheet.id)
    return fingerprint(on, variant.id, "images", delivered_size(on, plan.longest), plan.maps)


def forms_word(plan: DeliveryPlan, targets: Sequence[str]) -> str:
    """Of the files of all targets but the images, which build on each other: on everything that a game is told."""
    pictures = [images_word(plan, variant, sheet) for sheet in plan.sheets for variant in plan.variants]
    left_out = {"delivery", "ignored", "active_sheet", "active_variant", "rasters", "mesh_file"}
    text = with_sources(plan.state.project, lambda _: "").model_dump_json(exclude=left_out)
    made = hashlib.blake2b(text.encode("utf-8", "surrogatepass"), digest_size=16)
    if plan.state.mesh is not None:
        made.update(plan.state.mesh.whole.mesh.source_bytes)
    folders = [variant.folder for variant in plan.variants]
    made.update(json.dumps([__version__, pictures, folders, list(targets), plan.kit_longest]).encode())
    return made.hexdigest()
