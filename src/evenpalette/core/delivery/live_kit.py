"""A document as the kit that would be delivered of it, in memory: what a crowd is drawn from while work goes on."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.delivery.crowd_kit import CrowdKit, CrowdSheet, levels_of, models_of
from evenpalette.core.delivery.kit import KitJob, build_shader, describe
from evenpalette.core.delivery.kit_light import kit_light_text
from evenpalette.core.delivery.kit_model import VERSION
from evenpalette.core.delivery.kit_set import mesh_content
from evenpalette.core.delivery.kit_textures import leaves_tile, said_of
from evenpalette.core.delivery.layout import planned_textures
from evenpalette.core.document.state import State
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.recipe.shader import kit_table
from evenpalette.core.recipe.table import table_rows
from evenpalette.core.values import Value


def live_kit(
    state: State, longest: int = 512, variants: Sequence[str] | None = None, progress: Progress = no_progress
) -> CrowdKit:
    """The kit of all sheets. longest: side of its textures in texels, 0 as they are. variants: ids, None is all. Raises
    EvenPaletteError where a recipe cannot be delivered."""
    sheets = list(state.sheets())
    models, low, high = models_of(mesh_content(state), [sheet.sheet.name for sheet in sheets])
    made = []
    for number, (sheet, model) in enumerate(zip(sheets, models, strict=True)):
        shader = build_shader(sheet)
        wraps, textures = leaves_tile(sheet), []
        for planned in planned_textures(sheet, shader):
            raster = planned.raster.thumbnail(longest) if longest > 0 and not planned.exact else planned.raster
            said = said_of(planned, raster, wraps)
            textures.append((said, levels_of(said, raster.pixels)))
        jobs = [
            KitJob(v.id, v.name, "", {}) for v in state.project.variants if variants is None or v.id in variants
        ]  # fmt: skip
        made.append(
            CrowdSheet(
                f"the recipe of {sheet.sheet.name}", describe(sheet, shader, [s for s, _ in textures], jobs),
                shader.text, kit_light_text(VERSION), tuple(textures), live_rows(sheet, variants)[0], model,
            )
        )  # fmt: skip
        progress((number + 1) / len(sheets))
    kit = CrowdKit(state.project.name, tuple(made), low, high)
    kit.make_levels()
    return kit


#: Rows of a table, and the values that each was made of.
Told = tuple[NDArray[np.float32], list[dict[str, Value]]]


def live_rows(sheet: State, variants: Sequence[str] | None = None, known: Told | None = None) -> Told:
    """The table of a sheet as it is now, float32 (rows, width, 4): the defaults first, then each variant. known: what
    was made before; rows whose values stay are taken from there."""
    named = [v.id for v in sheet.project.variants if variants is None or v.id in variants]
    layout = kit_table(sheet.project.recipe)
    values = [sheet.values(None), *map(sheet.values, named)]
    if known is None or known[0].shape != (len(values), layout.width, 4):
        return table_rows(layout, values), values
    rows = known[0].copy()
    for at, (now, before) in enumerate(zip(values, known[1], strict=True)):
        if now != before:
            rows[at] = table_rows(layout, [now])[0]
    return rows, values
