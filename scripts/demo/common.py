"""What several demo projects do alike."""

from collections.abc import Mapping

from evenpalette.core.document.state import State
from evenpalette.core.edits import regions, variants


def regions_of_flags(state: State, texture_name: str, flags: Mapping[str, str]) -> State:
    """Regions from an ID map, named by their flags and in the order of these names."""
    id_map = next(t for t in state.project.asset.textures if t.name == texture_name)
    state = regions.regions_from_id_map(state, id_map.id)
    names = {flag: name for name, flag in flags.items()}
    for region in state.project.regions.regions:
        state = regions.update_region(state, region.id, name=names[region.source.color])
    for place, name in enumerate(flags):
        order = [r.name for r in state.project.regions.regions]
        region = state.project.regions.regions[order.index(name)]
        state = regions.move_region(state, region.id, place - order.index(name))
    return state


def with_variants(state: State, wanted: Mapping[str, Mapping[str, object]]) -> State:
    """Variants of these names, each with values by the names of their parameters; the first one is shown."""
    parameters = {p.name: p.id for p in state.project.recipe.parameters}
    for name, values in wanted.items():
        state = variants.add_variant(state, name)
        for key, value in values.items():
            state = variants.set_value(state, state.project.active_variant, parameters[key], value)
    return variants.activate(state, state.project.variants[0].id)
