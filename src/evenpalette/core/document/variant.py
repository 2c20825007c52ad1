"""Variants and how their values come about."""

from typing import Literal

from pydantic import Field

from evenpalette.core.recipe.recipe import Recipe
from evenpalette.core.stored import Stored
from evenpalette.core.values import Value

#: What the values that no variant changes are called.
DEFAULTS_NAME = "Defaults"


#: What somebody who looked at a variant says of it.
MARKS = {"keep": "Keep", "change": "Change", "drop": "Drop"}


class Variant(Stored):
    """A named set of values over those of its parent; without a parent, over the parameters' defaults. mark, note: what
    somebody who looked at it said."""

    id: str
    name: str = Field(min_length=1, max_length=80)
    parent: str | None = None
    values: dict[str, Value] = {}
    mark: Literal["", "keep", "change", "drop"] = ""
    note: str = Field("", max_length=2000)


def lineage(variants: tuple[Variant, ...], variant_id: str | None) -> list[Variant]:
    """The variant, its parent, and so on; stops at a missing parent or a circle."""
    left = {variant.id: variant for variant in variants}
    chain: list[Variant] = []
    while (variant := left.pop(variant_id or "", None)) is not None:
        chain.append(variant)
        variant_id = variant.parent
    return chain


def resolve_values(recipe: Recipe, variants: tuple[Variant, ...], variant_id: str | None) -> dict[str, Value]:
    """Every parameter's value in a variant: its own, else its parent's, else the default."""
    values = {parameter.id: parameter.default for parameter in recipe.parameters}
    for variant in reversed(lineage(variants, variant_id)):
        values.update({key: value for key, value in variant.values.items() if key in values})
    return values


def resolve_all(recipe: Recipe, variants: tuple[Variant, ...]) -> dict[str, dict[str, Value]]:
    """The values of every variant by its id, as `resolve_values` says; each chain is walked once, however deep."""
    by_id = {variant.id: variant for variant in variants}
    defaults = {parameter.id: parameter.default for parameter in recipe.parameters}
    done: dict[str, dict[str, Value]] = {}
    for variant in variants:
        path: list[Variant] = []
        walked: set[str] = set()
        above: Variant | None = variant
        while above is not None and above.id not in done and above.id not in walked:
            path.append(above)
            walked.add(above.id)
            above = by_id.get(above.parent or "")
        if above is not None and above.id in walked:  # a circle: each begins it with itself
            done.update({member.id: resolve_values(recipe, variants, member.id) for member in path})
            continue
        values = done[above.id] if above is not None else defaults
        for member in reversed(path):
            values = {**values, **{key: value for key, value in member.values.items() if key in defaults}}
            done[member.id] = values
    return done
