"""Kit: textures, parameters of all variants and the recipe as text, `kit/`, enough for a game to recolor live."""

from pathlib import Path

from evenpalette.core.delivery.kit import KitJob, write_kit
from evenpalette.core.delivery.kit_set import write_kit_set
from evenpalette.core.delivery.plan import DeliveryPlan
from evenpalette.core.delivery.target import Delivered, Target
from evenpalette.core.parallel import Progress


def write(plan: DeliveryPlan, delivered: Delivered, folder: Path, progress: Progress) -> None:
    """A kit for each sheet, which says of each variant where its pictures lie, if they were written."""
    for number, sheet in enumerate(plan.sheets):
        jobs = []
        for variant in plan.variants:
            maps = delivered.maps.get((variant.id, sheet.id), {})
            where = str(plan.maps_folder(variant, sheet)) if maps else ""
            jobs.append(KitJob(variant.id, variant.name, where, maps))
        write_kit(plan.state.on(sheet.id), folder / plan.kit_folder(sheet), jobs, plan.kit_longest)
        progress((number + 1) / len(plan.sheets))
    write_kit_set(plan, folder)


TARGET = Target("kit", "Kit", "Textures, parameters and the recipe as text, for a game", 20, write, usual=True)
