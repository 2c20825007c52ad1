"""Variants by chance: within limits, told apart, the same again from the same seed."""

import numpy as np
import pytest
from coloraide import Color  # OKLCh by another hand

from evenpalette.core.document.state import State
from evenpalette.core.edits import recipe
from evenpalette.core.edits.roll import roll_variants
from evenpalette.core.errors import RecipeError
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import ValueType
from evenpalette.core.variants.perceptual_difference import Eye, alike
from evenpalette.core.variants.random_values import Chance, RollWay, roll

_ALL = tuple(
    Parameter(id=type_.value, name=type_.value, type=type_, default=default, low=low, high=high, choices=choices)
    for type_, default, low, high, choices in (
        (ValueType.COLOR, "#b0603a", 0, 1, ()), (ValueType.NUMBER, 4.0, -1, 9, ()), (ValueType.INTEGER, 5, 0, 9, ()),
        (ValueType.SWITCH, True, 0, 1, ()), (ValueType.CHOICE, "b", 0, 1, ("a", "b", "c")),
        (ValueType.TEXTURE, "s", 0, 1, ("r", "s")), (ValueType.VECTOR, "0.5, 0.1", 0, 1, ("x", "y")),
    )
)  # fmt: skip
_BASE = {parameter.id: parameter.default for parameter in _ALL}


def test_values_stay_within_their_limits_and_as_near_as_the_spread_says() -> None:
    """A color's hue by at most half a turn times the spread, its lightness by half of it, its chroma by a factor of two
    to
    the spread: measured by another library's OKLCh."""
    source, free = np.random.default_rng(5), frozenset(_BASE)
    here = Color("#b0603a").convert("oklch")
    for spread in (0.1, 0.5, 1.0):
        seen: dict[str, list] = {key: [] for key in _BASE}
        for _ in range(300):
            made = {**_BASE, **roll(_ALL, _BASE, [], Chance(RollWay.VARY, spread, free), source)}
            for parameter in _ALL:
                assert parameter.accept(made[parameter.id]) == made[parameter.id]
                seen[parameter.id].append(made[parameter.id])
        numbers = np.array(seen["number"], float)
        assert np.abs(numbers - 4).max() <= 10 * spread + 1e-6
        assert numbers.min() >= -1
        assert numbers.max() <= 9
        assert np.ptp(numbers) > 9 * spread
        colors = [Color(str(value)).convert("oklch") for value in seen["color"]]
        turns = [abs((color["hue"] - here["hue"] + 180) % 360 - 180) for color in colors if color["chroma"] > 0.03]
        assert max(turns) <= 180 * spread + 4
        assert max(abs(color["lightness"] - here["lightness"]) for color in colors) <= 0.5 * spread + 0.01
        assert max(color["chroma"] for color in colors) <= here["chroma"] * 2**spread + 0.004
        assert all(float(value).is_integer() for value in seen["integer"])
        assert set(seen["choice"]) == {"a", "b", "c"}
        assert 0 < seen["switch"].count(False) < 300 * (spread / 2 + 0.12)
    assert roll(_ALL, _BASE, [], Chance(RollWay.VARY, 1.0, frozenset({"number"})), source).keys() <= {"number"}
    assert roll(_ALL, _BASE, [], Chance(RollWay.VARY, 0.0, free), source) == {}
    grays = {
        roll(_ALL, {**_BASE, "color": "#808080"}, [], Chance(RollWay.VARY, 0.6, free), source)["color"]
        for _ in range(20)
    }
    assert len(grays) == 20
    known = [{**_BASE, "color": "#010203", "number": 1.0}, {**_BASE, "color": "#040506", "number": 2.0}]
    mixed = [roll(_ALL, _BASE, known, Chance(RollWay.MIX, 0.0, free), source) for _ in range(60)]
    assert {(row["color"], row["number"]) for row in mixed} == {
        (c, n) for c in ("#010203", "#040506") for n in (1.0, 2.0)
    }


def test_lanterns_are_rolled_each_apart_from_all_others_and_again_from_the_seed(lantern: State) -> None:
    colors = frozenset(p.id for p in lantern.project.recipe.parameters if p.type is ValueType.COLOR)
    first = lantern.project.variants[0].id
    chance = Chance(RollWay.VARY, 0.5, colors)
    made = roll_variants(lantern, 14, chance, 3, base=first, least=8.0)
    fresh = made.state.project.variants[len(lantern.project.variants) :]
    assert tuple(variant.id for variant in fresh) == made.variants
    assert len(fresh) == len(made.nearest) == 14
    assert len({variant.name for variant in made.state.project.variants}) == 26
    assert made.state.project.active_variant == lantern.project.active_variant
    assert all(variant.parent == first and set(variant.values) <= colors for variant in fresh)
    assert min(made.nearest) >= 8.0
    assert alike(made.state, 8.0) == []
    eye = Eye(made.state)
    looks = [eye.look(made.state.values(variant.id)) for variant in made.state.project.variants]
    truth = [
        min(eye.apart(look, other).whole for other in looks[: 12 + place]) for place, look in enumerate(looks[12:])
    ]
    assert np.allclose(truth, made.nearest, rtol=1e-6)
    again = roll_variants(lantern, 4, chance, 3, base=first, least=8.0)
    assert [variant.values for variant in again.state.project.variants[-4:]] == [v.values for v in fresh[:4]]
    other = roll_variants(lantern, 1, chance, 4, base=first)
    assert other.state.project.variants[-1].values != fresh[0].values


def test_what_is_said_of_many_rolls_is_never_more_than_is_there(lantern: State) -> None:
    """Looked at again, pair by pair, for many seeds and ways: in crowds of mixed values the nearest in the means of the
    regions is not always the nearest."""
    colors = frozenset(p.id for p in lantern.project.recipe.parameters if p.type is ValueType.COLOR)
    for seed in range(3):
        made = roll_variants(
            lantern, 8, Chance(RollWay.MIX if seed % 2 else RollWay.VARY, 0.3 + seed / 10, colors), seed, least=6.0
        )
        eye = Eye(made.state)
        looks = [eye.look(made.state.values(v.id)) for v in made.state.project.variants]
        for place, said in enumerate(made.nearest, 12):
            assert min(eye.apart(looks[place], other).whole for other in looks[:place]) >= said - 1e-6


def test_what_cannot_be_told_apart_is_made_as_far_apart_as_it_goes(lantern: State) -> None:
    """One color that hardly moves cannot give ten variants: they are made all the same, and said how near they are."""
    moth = next(p.id for p in lantern.project.recipe.parameters if p.name == "Moth tint")
    near = roll_variants(
        lantern, 4, Chance(RollWay.VARY, 0.02, frozenset({moth})), 1, base=lantern.project.variants[0].id, least=20.0
    )
    assert len(near.variants) == 4
    assert 0 < max(near.nearest) < 20
    with pytest.raises(RecipeError, match="choose at least one"):
        roll_variants(lantern, 4, Chance(RollWay.VARY, 0.5, frozenset()), 1)
    empty = recipe.add_step(State(), "tint", step_id="t")
    with pytest.raises(RecipeError):
        roll_variants(empty, 4, Chance(RollWay.VARY, 0.5, frozenset({"gone"})), 1)
