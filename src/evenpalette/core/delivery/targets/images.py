"""Images: a picture of each attribute for each variant, `variants/<variant>/<map>.png`."""

from pathlib import Path

from evenpalette.core.delivery.kit_model import KitMap
from evenpalette.core.delivery.plan import DeliveryPlan
from evenpalette.core.delivery.render import Map, delivered_size, render_variants
from evenpalette.core.delivery.target import Delivered, Target
from evenpalette.core.delivery.writing import Writing
from evenpalette.core.parallel import Progress, part_of
from evenpalette.core.raster.raster import Encoding
from evenpalette.core.recipe.attributes import ATTRIBUTES, Holds


def write(plan: DeliveryPlan, delivered: Delivered, folder: Path, progress: Progress) -> None:
    """All maps of all variants, sheet by sheet; they are encoded beside the evaluation, a few at a time."""
    for number, sheet in enumerate(plan.sheets):
        state = plan.state.on(sheet.id)
        size = delivered_size(state, plan.longest)
        ids = [variant.id for variant in plan.variants]
        part = part_of(progress, number / len(plan.sheets), 1 / len(plan.sheets))
        rendered = render_variants(state, ids, plan.maps, size, progress=part, workers=plan.workers)
        with Writing(plan.workers) as writing:
            for variant, made in zip(plan.variants, rendered, strict=True):
                target = folder / plan.maps_folder(variant, sheet)
                target.mkdir(parents=True)
                for key, map_ in made.items():
                    writing.put(target / f"{key}.png", map_.raster)
                delivered.maps[variant.id, sheet.id] = {key: _said(map_) for key, map_ in made.items()}


def _said(map_: Map) -> KitMap:
    holds = ATTRIBUTES[map_.attribute].holds
    return KitMap(
        file=f"{map_.attribute}.png", encoding="srgb" if map_.raster.encoding is Encoding.SRGB else "data",
        strength=map_.strength, green="up" if holds is Holds.SLOPES else None,
        alpha="opacity" if map_.raster.channels == 4 and holds is Holds.COLOR else None,
    )  # fmt: skip


TARGET = Target("images", "Images", "A picture of each map for each variant", 10, write, weight=30.0, usual=True)
