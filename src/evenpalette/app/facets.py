"""What of a document can change, as facets: views and stations listen for those that they show."""

from collections.abc import Mapping

from evenpalette.core.document.state import State
from evenpalette.core.recipe.recipe import Binding, Pick, Step
from evenpalette.core.recipe.steps import KINDS

#: What of a document can change; views listen for what they show.
ASSET, REGIONS, COVERAGES, TONE, RECIPE, VALUES, VARIANTS, ACTIVE, NAME, DELIVERY, CROWD, REVIEW = (
    "asset", "regions", "coverages", "tone", "recipe", "values", "variants", "active", "name", "delivery", "crowd", "review",
)  # fmt: skip
EVERYTHING = frozenset(
    {ASSET, REGIONS, COVERAGES, TONE, RECIPE, VALUES, VARIANTS, ACTIVE, NAME, DELIVERY, CROWD, REVIEW}
)


_NO_PICK = Pick()


def _unbound(binding: Binding, *, keep: bool = False) -> Binding:
    """Where a value comes from, without the value. keep: it names a texture."""
    pick = _NO_PICK if binding.pick is not None else None
    return Binding(parameter=binding.parameter, pick=pick, value=binding.value if keep else None)


def _unbound_all(inputs: Mapping[str, Binding], maps: set[str]) -> dict[str, Binding]:
    return {key: _unbound(binding, keep=key in maps) for key, binding in inputs.items()}


def _structure(step: Step) -> Step:
    """A step without its constants: what its card is built from, while constants are only shown on it."""
    maps = {m.key for m in KINDS[step.kind].maps} if step.kind in KINDS else set()
    rows = tuple(
        row.model_copy(update={"inputs": _unbound_all(row.inputs, maps), "amount": _unbound(row.amount)})
        for row in step.rows
    )
    parts = {"inputs": _unbound_all(step.inputs, maps), "amount": _unbound(step.amount), "rows": rows}
    return step.model_copy(update=parts)


def difference(before: State, after: State) -> frozenset[str]:
    """Which facets differ between two states."""
    a, b = before.project, after.project
    found = set()
    if a.asset != b.asset or before.mesh is not after.mesh or before.textures is not after.textures:
        found.add(ASSET)
    if a.regions != b.regions:
        found.add(REGIONS)
    if before.coverages is not after.coverages:
        found.add(COVERAGES)
    if a.tone != b.tone or before.tone is not after.tone:
        found.add(TONE)
    if a.recipe != b.recipe:
        same_steps = list(map(_structure, a.recipe.steps)) == list(map(_structure, b.recipe.steps))
        same_steps = same_steps and a.recipe.base == b.recipe.base
        same_names = [(p.id, p.name, p.low, p.high) for p in a.recipe.parameters] == [
            (p.id, p.name, p.low, p.high) for p in b.recipe.parameters
        ]
        found.add(VALUES if same_steps and same_names else RECIPE)
    if a.sheet.opacity is not b.sheet.opacity:
        found.add(RECIPE)
    if a.variants != b.variants:
        same_set = [(v.id, v.name, v.parent) for v in a.variants] == [(v.id, v.name, v.parent) for v in b.variants]
        if not same_set:
            found.add(VARIANTS)
        elif [v.values for v in a.variants] != [v.values for v in b.variants]:
            found.add(VALUES)
        if [(v.mark, v.note) for v in a.variants] != [(v.mark, v.note) for v in b.variants]:
            found.add(REVIEW)
    if a.active_variant != b.active_variant:
        found.add(ACTIVE)
    if a.name != b.name:
        found.add(NAME)
    if a.delivery != b.delivery:
        found.add(DELIVERY)
    if a.crowd != b.crowd:
        found.add(CROWD)
    if (a.locked, a.limits) != (b.locked, b.limits):
        found.add(REVIEW)
    return frozenset(found)
