"""Limits of rolls: never broken, measured by another library's OKLCh; what was liked narrows; the command line rolls as
the window does."""

import json
from itertools import combinations
from pathlib import Path

import numpy as np
import pytest
from coloraide import Color

from evenpalette.cli import main
from evenpalette.core.document.crowd import Limit
from evenpalette.core.document.state import State
from evenpalette.core.edits.limits import limit_of, limit_of_text, limit_text, set_limit
from evenpalette.core.edits.roll import FROM_DISLIKED, Taste, roll_one_again, roll_variants
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage
from evenpalette.core.values import ValueType
from evenpalette.core.variants.perceptual_difference import Eye
from evenpalette.core.variants.random_values import Chance, RollWay, roll

COLOR = Parameter(id="c", name="Color", type=ValueType.COLOR, default="#b0603a")
NUMBER = Parameter(id="n", name="Number", type=ValueType.NUMBER, default=0.9)
WHOLE = Parameter(id="w", name="Whole", type=ValueType.INTEGER, default=9, high=9.0)


@pytest.fixture(scope="module")
def pennant(tmp_path_factory: pytest.TempPathFactory) -> State:
    return Storage(copy_demo(tmp_path_factory.mktemp("market") / "m", "pennant")).open()


def test_three_thousand_rolls_break_no_limit() -> None:
    """A narrow strip of greens that stays away from two of them, and numbers below a half."""
    limit = Limit(
        parameter="c", lightness=(0.45, 0.7), chroma=(0.05, 0.14), hue=(340.0, 160.0), avoid=("#808040", "#a06050"), apart=12.0,
    )  # fmt: skip
    limits = {"c": limit, "n": Limit(parameter="n", numbers=(0.2, 0.5)), "w": Limit(parameter="w", numbers=(2.5, 4.5))}
    source = np.random.default_rng(8)
    base = {"c": "#b0603a", "n": 0.9, "w": 9}
    seen = set()
    for way, spread in ((RollWay.VARY, 0.3), (RollWay.VARY, 1.0), (RollWay.MIX, 0.5)):
        chance = Chance(way, spread, frozenset("cnw"), limits)
        known = [base, {"c": "#0000ff", "n": 0.3, "w": 3}]
        for _ in range(1000):
            made = {**base, **roll((COLOR, NUMBER, WHOLE), base, known, chance, source)}
            assert 0.2 <= made["n"] <= 0.5
            assert made["w"] in (3, 4)
            seen.add(str(made["c"]))
    assert len(seen) > 600
    avoided = [Color(color) for color in limit.avoid]
    for text in list(seen)[:600]:
        color = Color(text)
        lightness, chroma, hue = color.convert("oklch").coords()
        assert 0.45 - 1e-4 <= lightness <= 0.7 + 1e-4
        assert 0.05 - 1e-4 <= chroma <= 0.14 + 1e-4
        assert hue >= 340 - 0.02 or hue <= 160.02
        assert all(color.delta_e(other, method="2000") >= 12 - 0.02 for other in avoided)


def test_what_nothing_keeps_to_is_said(pennant: State) -> None:
    source = np.random.default_rng(1)
    black = Limit(parameter="c", lightness=(0.0, 0.1), chroma=(0.3, 0.5))
    with pytest.raises(EvenPaletteError, match="No color is within the limits of Color"):
        roll((COLOR,), {"c": "#b0603a"}, [], Chance(RollWay.VARY, 0.5, frozenset("c"), {"c": black}), source)
    key = next(p.id for p in pennant.project.parameters if p.name == "Field tint")
    region = pennant.project.regions.regions[1].id
    asked = set_limit(pennant, Limit(parameter=key, contrast={region: 99.0}))
    with pytest.raises(EvenPaletteError, match="contrast"):
        roll_variants(asked, 1, Chance(RollWay.VARY, 0.2, frozenset({key})), 1)


def test_a_contrast_to_another_region_is_kept(pennant: State) -> None:
    """Mean colors of both regions by our own eye, their distance by coloraide."""
    key = next(p.id for p in pennant.project.parameters if p.name == "Field tint")
    regions = {r.name: r.id for r in pennant.project.regions.regions}
    state = set_limit(pennant, Limit(parameter=key, contrast={regions["Bands"]: 35.0}))
    made = roll_variants(state, 12, Chance(RollWay.VARY, 0.6, frozenset({key})), 5)
    eye = Eye(made.state)
    for variant in made.variants:
        look = eye.look(made.state.values(variant))
        one, other = (eye.color_of(look, regions[name]) for name in ("Field", "Bands"))
        assert one is not None
        assert other is not None
        first, second = (Color("srgb-linear", [float(v) for v in color]) for color in (one, other))
        assert first.delta_e(second, method="2000") >= 35 - 0.1


def test_what_was_liked_narrows_and_what_was_not_is_kept_away(pennant: State) -> None:
    """The stated rule: within the span of what was liked and a little wider, eight units from what was not."""
    key = next(p.id for p in pennant.project.parameters if p.name == "Field tint")
    chance = Chance(RollWay.VARY, 1.0, frozenset({key}))
    begin = pennant.values(None)
    liked = tuple({**begin, key: color} for color in ("#1f4f6f", "#9fb8e8"))
    disliked = ({**begin, key: "#2f6fb0"},)
    made = roll_variants(pennant, 20, chance, 2, taste=Taste(liked, disliked))
    hues = [Color(c).convert("oklch")["hue"] for c in ("#1f4f6f", "#9fb8e8")]
    eye = Eye(made.state)
    bad = eye.look(disliked[0])
    for variant in made.variants:
        color = Color(str(made.state.values(variant)[key])).convert("oklch")
        assert min(hues) - 20.5 <= color["hue"] <= max(hues) + 20.5
        assert eye.apart(eye.look(made.state.values(variant)), bad).whole >= FROM_DISLIKED


def test_the_worst_pair_is_that_of_brute_force_and_is_rolled_again_alone(pennant: State) -> None:
    colors = frozenset(p.id for p in pennant.project.parameters if p.type is ValueType.COLOR)
    chance = Chance(RollWay.VARY, 0.3, colors)
    made = roll_variants(pennant, 6, chance, 4)

    def worst(state: State) -> tuple[frozenset[str], float]:
        eye, looks = Eye(state), {}
        for v in state.project.variants:
            looks[v.id] = eye.look(state.values(v.id))
        pairs = [p for p in combinations(looks, 2) if p[0] in made.variants or p[1] in made.variants]
        units = {frozenset(p): eye.apart(looks[p[0]], looks[p[1]]).whole for p in pairs}
        pair = min(units, key=lambda p: units[p])
        return pair, units[pair]

    assert made.worst is not None
    pair, units = worst(made.state)
    assert frozenset(made.worst[:2]) == pair
    assert made.worst[2] == pytest.approx(units, rel=1e-6)
    again = roll_one_again(made, made.worst[0], chance, 77, least=6.0)
    changed = [v.id for v, w in zip(made.state.project.variants, again.state.project.variants, strict=True) if v != w]
    assert changed == [made.worst[0]]
    assert again.worst is not None
    assert again.worst[2] == pytest.approx(worst(again.state)[1], rel=1e-6)


def test_limits_are_written_read_and_kept_by_the_project(pennant: State, tmp_path: Path) -> None:
    text = "Field tint: lightness=0.4..0.8 hue=340..40 avoid=#c03020 apart=20 contrast=Bands:15"
    limit = limit_of_text(pennant, text)
    assert limit.hue == (340.0, 40.0)
    state = set_limit(pennant, limit)
    Storage(tmp_path / "p").save(state)
    held = limit_of(Storage(tmp_path / "p").open(), limit.parameter)
    assert held == limit
    assert limit_text(state, held) == text.partition(": ")[2]
    assert set_limit(state, Limit(parameter=limit.parameter)).project.limits == ()
    for wrong, why in (
        ("Nobody: hue=1..2", "Nobody"), ("Field tint: hue=x", "no range"), ("Field tint: shine=1..2", "is no limit"), ("Field tint", "limits nothing"),
        ("Field tint: contrast=Nowhere:3", "no region"), ("Field tint: lightness=0.8..0.2", "lightness goes from"),
    ):  # fmt: skip
        with pytest.raises(EvenPaletteError, match=why):
            limit_of_text(pennant, wrong)


def test_the_command_line_rolls_what_the_window_rolls(
    pennant: State, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    folder = copy_demo(tmp_path / "m", "pennant")
    words = ["--spread", "0.4", "--free", "Field tint", "--free", "Bands tint", "--limit", "Field tint: hue=180..260"]
    assert main(["roll", str(folder), "--count", "5", "--seed", "9", "--apart", "4", "--json", *words]) == 0
    told = json.loads(capsys.readouterr().out)
    keys = {p.name: p.id for p in pennant.project.parameters}
    free = frozenset({keys["Field tint"], keys["Bands tint"]})
    limit = limit_of_text(pennant, "Field tint: hue=180..260")
    wanted = roll_variants(pennant, 5, Chance(RollWay.VARY, 0.4, free, {limit.parameter: limit}), 9, least=4.0)
    names = {v.id: v.name for v in wanted.state.project.variants}
    own = {names[key]: next(v for v in wanted.state.project.variants if v.id == key).values for key in wanted.variants}
    by_id = {v: k for k, v in keys.items()}
    assert told == {name: {by_id[k]: v for k, v in values.items()} for name, values in own.items()}
    with pytest.raises(SystemExit):
        main(["roll", str(folder), "--count", "5", "--spread", "7"])
    assert main(["roll", str(folder), "--count", "1", "--limit", "Field tint: nonsense=1"]) == 2
