"""The glow of a project as a map."""

import argparse

import numpy as np

from evenpalette.cli.baking import raster_of
from evenpalette.cli.projects import open_project
from evenpalette.cli.saying import bar_of, note
from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.document.bake import GLOW, Bake
from evenpalette.core.document.lookup import variant_ids
from evenpalette.core.edits.bake_wishes import texels_of
from evenpalette.core.edits.glow_light import gather, lamps_of
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.parallel import part_of
from evenpalette.core.raster.image_write import write_image
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.binding import BoundRow


def bake_glow(options: argparse.Namespace) -> None:
    """Write the light that the glow of a variant sends onto its surface: what a white surface there would send on."""
    if options.project is None:
        raise EvenPaletteError("glow is baked from a project: name it with --project.")
    state = open_project(options.project)
    variant = variant_ids(state, [options.variant])[0] if options.variant else state.project.active_variant
    lamps = lamps_of(state)
    if not lamps:
        raise EvenPaletteError(f"Nothing glows in {state.project.name}: its recipe has no Glow step.")
    texels = texels_of(state, options.size)
    total = np.zeros((options.size, options.size, 3), np.float32)
    progress, bar = bar_of("Glow")
    notes: dict[str, None] = {}
    with bar:
        for number, lamp in enumerate(lamps):
            wish = Bake(
                kind=GLOW, settings=lamp.settings(options.rays, options.bounces), size=options.size,
                denoiser=options.denoise, padding=-1 if options.padding in (None, 8192) else options.padding,
                lamp=(lamp.step, lamp.row), variant=variant or "",
            )  # fmt: skip
            made = gather(state, wish, texels, progress=part_of(progress, number / len(lamps), 1 / len(lamps)))
            step = next(s for s in state.bound_steps(variant) if s.step_id == lamp.step)
            stored = state.project.recipe.step(lamp.step)
            assert stored is not None
            row = step.rows[[r.id for r in stored.rows].index(lamp.row)]
            total += made.values * _brightness(row, lamp.color) * np.float32(step.amount)
            notes |= dict.fromkeys(made.notes)
    for words in notes:
        note(words)
    if options.out.suffix.lower() == ".exr":
        write_image(Raster(total, Encoding.LINEAR), options.out)
    else:
        write_image(
            raster_of(encode_srgb(np.clip(total, 0, 1)), options.out.suffix.lower(), options.depth), options.out
        )


def _brightness(row: BoundRow, color: str) -> np.ndarray:
    """How bright a row glows in one of its colors, float32 (3,)."""
    return np.asarray(row.values[color] * np.float32(2.0 ** float(row.values["stops"]) * row.amount), np.float32)
