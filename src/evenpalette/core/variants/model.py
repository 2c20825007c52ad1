"""Variants and how their values come about."""

from pydantic import Field

from evenpalette.core.recipe.model import Recipe
from evenpalette.core.recipe.parameters import Value
from evenpalette.core.stored import Stored


class Variant(Stored):
    """A named set of values over those of its parent; without a parent, over the parameters' defaults."""

    id: str
    name: str = Field(min_length=1, max_length=80)
    parent: str | None = None
    values: dict[str, Value] = {}


def lineage(variants: tuple[Variant, ...], variant_id: str | None) -> list[Variant]:
    """The variant, its parent, and so on; stops at a missing parent or a circle."""
    by_id = {variant.id: variant for variant in variants}
    chain: list[Variant] = []
    while variant_id in by_id and by_id[variant_id] not in chain:
        chain.append(by_id[variant_id])
        variant_id = chain[-1].parent
    return chain


def resolve_values(recipe: Recipe, variants: tuple[Variant, ...], variant_id: str | None) -> dict[str, Value]:
    """Every parameter's value in a variant: its own, else its parent's, else the default."""
    values = {parameter.id: parameter.default for parameter in recipe.parameters}
    for variant in reversed(lineage(variants, variant_id)):
        values.update({key: value for key, value in variant.values.items() if key in values})
    return values
