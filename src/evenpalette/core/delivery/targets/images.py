"""Images: a picture of each attribute for each variant, `variants/<variant>/<map>.png`."""

from pathlib import Path

from msgspec import ValidationError, to_builtins

from evenpalette.core.delivery.inputs import images_word
from evenpalette.core.delivery.kit_model import KitMap, read_said
from evenpalette.core.delivery.plan import DeliveryPlan, PlannedVariant
from evenpalette.core.delivery.render import Map, delivered_size, groups_of, render_variants
from evenpalette.core.delivery.target import Delivered, Target
from evenpalette.core.delivery.writing import Writing
from evenpalette.core.parallel import Progress, part_of
from evenpalette.core.raster.raster import Encoding
from evenpalette.core.recipe.attributes import ATTRIBUTES, Holds


def write(plan: DeliveryPlan, delivered: Delivered, folder: Path, progress: Progress) -> None:
    """All maps of all variants, sheet by sheet; they are encoded beside the evaluation, a few at a time. Those that lie
    in the folder already, made from the same, are taken as they are."""
    former = delivered.former
    for number, sheet in enumerate(plan.sheets):
        state = plan.state.on(sheet.id)
        size = delivered_size(state, plan.longest)
        part = part_of(progress, number / len(plan.sheets), 1 / len(plan.sheets))
        new: list[tuple[PlannedVariant, str]] = []
        for variant in plan.variants:
            inputs = images_word(plan, variant, sheet)
            names = [str(plan.maps_folder(variant, sheet) / f"{key}.png") for key in plan.maps]
            said = _as_said(former.take(names, inputs))
            if said is None:
                new.append((variant, inputs))
            else:
                delivered.maps[variant.id, sheet.id] = dict(zip(plan.maps, said, strict=True))
        groups = groups_of(plan.maps, size)
        with Writing(plan.workers) as writing:
            for place, keys in enumerate(groups):
                share = part_of(part, place / len(groups), 1 / len(groups))
                ids = [variant.id for variant, _ in new]
                rendered = render_variants(state, ids, keys, size, progress=share, workers=plan.workers)
                for (variant, inputs), made in zip(new, rendered, strict=True):
                    where = plan.maps_folder(variant, sheet)
                    (folder / where).mkdir(parents=True, exist_ok=True)
                    while made:
                        key, map_ = made.popitem()
                        writing.put(folder / where / f"{key}.png", map_.raster)
                        said_now = _said(map_)
                        former.note(str(where / f"{key}.png"), inputs, map=to_builtins(said_now))
                        delivered.maps.setdefault((variant.id, sheet.id), {})[key] = said_now
        for variant, _ in new:
            held = delivered.maps[variant.id, sheet.id]
            delivered.maps[variant.id, sheet.id] = {key: held[key] for key in plan.maps}
        part(1.0)


def _as_said(found: list[dict[str, object]] | None) -> list[KitMap] | None:
    """What a manifest says of maps; None where it is not as it was written."""
    try:
        return [read_said(KitMap, entry.get("map")) for entry in found] if found is not None else None
    except ValidationError:
        return None


def _said(map_: Map) -> KitMap:
    holds = ATTRIBUTES[map_.attribute].holds
    return KitMap(
        file=f"{map_.attribute}.png", encoding="srgb" if map_.raster.encoding is Encoding.SRGB else "data",
        strength=map_.strength, green="up" if holds is Holds.SLOPES else None,
        alpha="opacity" if map_.raster.channels == 4 and holds is Holds.COLOR else None,
    )  # fmt: skip


TARGET = Target("images", "Images", "A picture of each map for each variant", 10, write, weight=30.0, usual=True)
