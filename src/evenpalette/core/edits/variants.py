"""Making and changing variants, and setting parameter values."""

from collections.abc import Mapping

from evenpalette.core.document.state import State, new_id
from evenpalette.core.document.variant import Variant, lineage
from evenpalette.core.edits.parameters import update_parameter
from evenpalette.core.errors import RecipeError
from evenpalette.core.names import checked_name, free_name
from evenpalette.core.values import Value


def add_variant(state: State, name: str = "", parent: str | None = None) -> State:
    """Add a variant that follows its parent (or the defaults) and make it the active one."""
    variants = state.project.variants
    if parent is not None and find_variant(state, parent) is None:
        raise RecipeError("The variant to derive from is gone.")
    derived = find_variant(state, parent) if parent is not None else None
    begin = f"{derived.name} copy" if derived is not None else "Variant"
    base = checked_name(name, "A variant") if name.strip() else begin
    variant = Variant(id=new_id("variant"), name=free_variant_name(state, base), parent=parent)
    place = len(variants)
    if parent is not None:
        place = next(i for i, v in enumerate(variants) if v.id == parent) + 1
    return state.with_project(variants=(*variants[:place], variant, *variants[place:]), active_variant=variant.id)


def as_variant(state: State, defaults: Mapping[str, Value], name: str = "") -> State:
    """Parameters with these defaults again, and what they are now as a variant, which becomes the active one."""
    now = {p.id: p.default for p in state.project.parameters}
    changed = {key: value for key, value in now.items() if key in defaults and defaults[key] != value}
    for key in changed:
        state = update_parameter(state, key, default=defaults[key])
    state = add_variant(state, name)
    for key, value in changed.items():
        state = set_value(state, state.project.active_variant, key, value)
    return state


def free_variant_name(state: State, wanted: str) -> str:
    """The name, or with a number behind it when another variant has it."""
    return free_name(wanted, (v.name for v in state.project.variants))


def find_variant(state: State, variant_id: str | None) -> Variant | None:
    """The variant with this id."""
    return next((v for v in state.project.variants if v.id == variant_id), None)


def duplicate_variant(state: State, variant_id: str) -> State:
    """An equal variant beside it, with the same parent."""
    variant = _variant(state, variant_id)
    copy = variant.model_copy(
        update={"id": new_id("variant"), "name": free_variant_name(state, f"{variant.name} copy")}
    )
    variants = list(state.project.variants)
    variants.insert(variants.index(variant) + 1, copy)
    return state.with_project(variants=tuple(variants), active_variant=copy.id)


def rename_variant(state: State, variant_id: str, name: str) -> State:
    """Rename a variant. Raises ValueProblem for what is no name, RecipeError for one that another variant has."""
    name = checked_name(name, "A variant")
    if any(v.name.lower() == name.lower() and v.id != variant_id for v in state.project.variants):
        raise RecipeError(f"Another variant is called '{name}'.")
    return _with_variant(state, _variant(state, variant_id).model_copy(update={"name": name}))


def remove_variant(state: State, variant_id: str) -> State:
    """Take a variant out. Variants derived from it keep their look: they take over its values and its parent."""
    gone = _variant(state, variant_id)
    place = state.project.variants.index(gone)
    variants = tuple(
        v.model_copy(update={"parent": gone.parent, "values": {**gone.values, **v.values}})
        if v.parent == variant_id
        else v
        for v in state.project.variants
        if v.id != variant_id
    )
    active = state.project.active_variant
    if active == variant_id:
        active = variants[min(place, len(variants) - 1)].id if variants else None
    return state.with_project(variants=variants, active_variant=active)


def move_variant(state: State, variant_id: str, target: int) -> State:
    """Move a variant to a place in the order."""
    variants = list(state.project.variants)
    variant = _variant(state, variant_id)
    variants.remove(variant)
    variants.insert(min(max(target, 0), len(variants)), variant)
    return state.with_project(variants=tuple(variants))


def set_parent(state: State, variant_id: str, parent: str | None) -> State:
    """Derive a variant from another. Raises RecipeError when that would make a circle."""
    if any(v.id == variant_id for v in lineage(state.project.variants, parent)):
        raise RecipeError("A variant cannot derive from itself or from one that derives from it.")
    return _with_variant(state, _variant(state, variant_id).model_copy(update={"parent": parent}))


def activate(state: State, variant_id: str | None) -> State:
    """Show a variant; None shows the defaults."""
    return state.with_project(active_variant=variant_id)


def set_value(state: State, variant_id: str | None, parameter_id: str, value: Value) -> State:
    """Set a parameter in a variant, or its default when no variant is given."""
    parameter = state.project.recipe.parameter(parameter_id)
    if parameter is None:
        raise RecipeError("That parameter is gone.")
    value = parameter.accept(value)
    if variant_id is None:
        return update_parameter(state, parameter_id, default=value)
    variant = _variant(state, variant_id)
    return _with_variant(state, variant.model_copy(update={"values": {**variant.values, parameter_id: value}}))


def reset_value(state: State, variant_id: str, parameter_id: str) -> State:
    """Let a parameter follow the variant's parent again."""
    variant = _variant(state, variant_id)
    values = {k: v for k, v in variant.values.items() if k != parameter_id}
    return _with_variant(state, variant.model_copy(update={"values": values}))


def reset_variant(state: State, variant_id: str) -> State:
    """Let every parameter follow the parent again."""
    return _with_variant(state, _variant(state, variant_id).model_copy(update={"values": {}}))


def _variant(state: State, variant_id: str) -> Variant:
    variant = find_variant(state, variant_id)
    if variant is None:
        raise RecipeError("That variant is gone.")
    return variant


def _with_variant(state: State, changed: Variant) -> State:
    return state.with_project(variants=tuple(changed if v.id == changed.id else v for v in state.project.variants))
