"""Blocks against whole planes: a program of block kernels and the same operations one after the other over the whole
picture say the same, whatever the recipe."""

from dataclasses import replace

import numpy as np
import pytest

from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import ATTRIBUTES
from evenpalette.core.recipe.binding import BoundStep, bind_recipe
from evenpalette.core.recipe.blocks import BLOCK
from evenpalette.core.recipe.evaluate import Evaluator, evaluate_surface, evaluate_surfaces, stages
from evenpalette.core.recipe.kind import PLACED, StepKind
from evenpalette.core.recipe.program import is_in_blocks
from evenpalette.core.recipe.recipe import Binding, Recipe, Row, Step
from evenpalette.core.recipe.sources import Sources, Start
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.recipe.weights import Sharing
from evenpalette.core.regions.overlap import Overlap
from evenpalette.core.values import Input, ValueType

WIDTH, HEIGHT = 61, 53
assert WIDTH * HEIGHT % BLOCK, "the last block is not a whole one"
PLACES = ("", "", "", "scale=2,2; wrap=mirror", "turn=0.1", "tiles=2,2")


def value_of(made: Input, rng: np.random.Generator) -> object:
    """Any value of an input, its ends more often than others; None for one that is left as it is."""
    if made.type is ValueType.NUMBER:
        at = rng.choice([0.0, 1.0, rng.random(), rng.random(), rng.random()])
        return float(made.low + (made.high - made.low) * at)
    if made.type is ValueType.INTEGER:
        return int(rng.integers(int(made.low), int(made.high) + 1))
    if made.type is ValueType.COLOR:
        return f"#{rng.integers(0, 1 << 24):06x}"
    if made.type is ValueType.SWITCH:
        return bool(rng.random() < 0.5)
    return str(rng.choice(made.choices)) if made.type is ValueType.CHOICE else None


def inputs_of(kind: StepKind, rng: np.random.Generator) -> dict[str, Binding]:
    found = {i.key: Binding(value=value_of(i, rng)) for i in kind.inputs if rng.random() < 0.8}
    for read in kind.maps:
        if rng.random() < 0.85:
            texture = str(rng.choice(list("abcd")))
            found[read.key] = Binding(value=texture if read.whole else f"{texture}:{rng.integers(0, 4)}")
            found[read.key + PLACED] = Binding(value=str(rng.choice(PLACES)))
    return {key: binding for key, binding in found.items() if binding.value not in (None, "")}


def random_sources(rng: np.random.Generator) -> tuple[Sources, list[str]]:
    """A base, soft regions that overlap, textures of every form, attributes that begin with a texture."""
    v, u = np.mgrid[:HEIGHT, :WIDTH] / np.array([HEIGHT, WIDTH]).reshape(2, 1, 1)
    count = int(rng.integers(1, 5))
    soft = [
        rng.choice([1.6, 8.0]) - rng.uniform(1, 6) * np.hypot(u - rng.random(), v - rng.random()) for _ in range(count)
    ]
    planes = [np.clip(255 * plane, 0, 255).astype(np.uint8) for plane in soft]

    def codes(channels: int, dtype: type = np.uint8) -> np.ndarray:
        return rng.integers(0, np.iinfo(dtype).max, (HEIGHT, WIDTH, channels), dtype, endpoint=True)

    textures = {
        "a": Raster(codes(1), Encoding.DATA), "b": Raster(codes(3), Encoding.SRGB), "c": Raster(codes(4), Encoding.DATA),
        "d": Raster(rng.random((HEIGHT, WIDTH, 3)).astype(np.float32) * 1.2, Encoding.LINEAR),
    }  # fmt: skip
    bases = (
        Raster(codes(3), Encoding.SRGB),
        Raster(codes(1), Encoding.DATA),
        Raster(codes(3, np.uint16), Encoding.SRGB),
    )
    starts = {
        "roughness": Start("a", (1,), factor=(0.7,)), "normal": Start("c", (0, 1, 2)),
        "emissive": Start("b", (0, 1, 2), as_color=True, factor=(1.0, 0.5, 2.0)),
    }  # fmt: skip
    sharing = Sharing(list(Overlap)[rng.integers(0, 3)], count)
    base = bases[rng.integers(0, 3)]
    return Sources(base, planes, [sharing], textures, starts if rng.random() < 0.5 else {}), [
        str(k) for k in range(count)
    ]


def random_steps(regions: list[str], rng: np.random.Generator, kinds: list[StepKind]) -> list[BoundStep]:
    steps = []
    for number in range(int(rng.integers(1, 8))):
        # Every third one is affine: only these make use of a row that has all of a block.
        affine = KINDS[str(rng.choice(["tint", "replace"]))]
        kind = affine if rng.random() < 0.33 else kinds[rng.integers(0, len(kinds))]
        rows = [Row(id="whole")]
        if (by := rng.integers(0, 3)) > 0:
            named = rng.permutation(regions)[: rng.integers(1, len(regions) + 1)]
            rows = [
                Row(id=region, regions=(str(region),), inputs=inputs_of(kind, rng),
                    amount=Binding(value=float(rng.choice([1.0, 1.0, 0.5, 0.0]))))
                for region in named
            ]  # fmt: skip
            rows += [Row(id="rest", inputs=inputs_of(kind, rng))] if by == 2 else []
        amount = Binding(value=float(rng.choice([1.0, 1.0, 0.7])))
        inputs = inputs_of(kind, rng)
        steps.append(Step(id=f"s{number}", kind=kind.key, name="any", inputs=inputs, rows=tuple(rows), amount=amount))
    return bind_recipe(Recipe(steps=tuple(steps)), regions, {})


def over_planes(steps: list[BoundStep], sources: Sources) -> dict[str, np.ndarray]:
    """What `stages` ends with, by attribute: (height, width, planes)."""
    last = {}
    for frame in stages(steps, sources, ATTRIBUTES, (0, 0, WIDTH, HEIGHT)):
        last = frame
    return {key: np.stack(planes, 1).reshape(HEIGHT, WIDTH, -1) for key, planes in last.items()}


@pytest.mark.parametrize("seed", range(40))
def test_any_recipe_is_in_blocks_what_it_is_over_planes(seed: int) -> None:
    """Forty recipes, of all kinds and of those that have block kernels alone, within a thousandth of 1."""
    rng = np.random.default_rng(seed)
    sources, regions = random_sources(rng)
    in_blocks = [kind for kind in KINDS.values() if is_in_blocks(example_of(kind), kind.ops)]
    steps = random_steps(regions, rng, in_blocks if seed % 2 else list(KINDS.values()))
    made = evaluate_surface(steps, sources, ATTRIBUTES, float_output=True)
    for key, wanted in over_planes(steps, sources).items():
        got = made[key].pixels
        near = np.isclose(got, wanted, rtol=1e-3, atol=1e-3, equal_nan=True)
        assert near.all(), f"{key} after {[step.kind.key for step in steps]}"


@pytest.mark.parametrize("seed", range(40))
def test_a_part_of_a_picture_is_what_the_whole_is_bit_by_bit(seed: int) -> None:
    """Where a block begins decides nothing: strips of a large picture are those that it has at once."""
    rng = np.random.default_rng(seed)
    sources, regions = random_sources(rng)
    steps = random_steps(regions, rng, list(KINDS.values()))
    whole = evaluate_surface(steps, sources, ATTRIBUTES)
    for left, top, right, bottom in ((0, 0, WIDTH, 7), (0, 7, WIDTH, HEIGHT), (13, 5, 42, 29)):
        part = evaluate_surface(steps, sources, ATTRIBUTES, box=(left, top, right, bottom))
        for key, raster in part.items():
            same = np.array_equal(
                raster.pixels, whole[key].pixels[top:bottom, left:right], equal_nan=raster.pixels.dtype == np.float32
            )
            assert same, f"{key} after {[step.kind.key for step in steps]}"


def example_of(kind: StepKind) -> BoundStep:
    return bind_recipe(Recipe(steps=(Step(id="s", kind=kind.key, name="any", rows=(Row(id="r"),)),)), [], {})[0]


def test_every_kind_that_ships_works_in_blocks() -> None:
    whole = [kind.key for kind in KINDS.values() if not is_in_blocks(example_of(kind), kind.ops)]
    assert whole == []


@pytest.mark.parametrize("seed", range(12))
def test_a_program_that_is_kept_follows_the_values(seed: int) -> None:
    """Another set of values through a kept program is what it is through one of its own, bit by bit; where more than
    values differ (a row's amount, how a texture lies) too."""
    rng = np.random.default_rng(100 + seed)
    sources, regions = random_sources(rng)
    state = rng.bit_generator.state
    evaluator = Evaluator(sources, ATTRIBUTES)
    for turn in range(4):
        rng.bit_generator.state = state
        steps = random_steps(regions, rng, list(KINDS.values()))
        if turn:
            other = np.random.default_rng(1000 * seed + turn)
            place = other.integers(0, len(steps))
            row = steps[place].rows[0]
            drawn = bind_recipe(
                Recipe(steps=(Step(id="s", kind=steps[place].kind.key, name="any", inputs=inputs_of(steps[place].kind, other),
                                   rows=(Row(id="r"),)),)), [], {},
            )[0].rows[0]  # fmt: skip
            taken = replace(row, values=drawn.values, maps=drawn.maps if turn == 2 else row.maps)
            taken = replace(taken, amount=0.3) if turn == 3 else taken
            steps[place] = replace(steps[place], rows=(taken, *steps[place].rows[1:]))
        made, alone = evaluator(steps), Evaluator(sources, ATTRIBUTES)(steps)
        for key, picture in made.items():
            assert np.array_equal(picture, alone[key], equal_nan=True), f"{key} in turn {turn}"


def test_a_kept_program_sees_that_rows_can_no_longer_be_done_together() -> None:
    """A row without a weight decides nothing about those that have one."""
    rng = np.random.default_rng(3)
    base = Raster(rng.integers(0, 256, (HEIGHT, WIDTH, 3), np.uint8), Encoding.SRGB)
    halves = [
        np.where(np.arange(WIDTH) < WIDTH // 2, on, 255 - on).astype(np.uint8)[None].repeat(HEIGHT, 0)
        for on in (255, 0)
    ]

    def bound(space: str) -> list[BoundStep]:
        spaces, amounts = ("YIQ encoded", space), (0.0, 1.0)
        rows = tuple(
            Row(id=f"r{k}", regions=(str(k),), amount=Binding(value=amounts[k]),
                inputs={"space": Binding(value=spaces[k]), "angle": Binding(value=70.0)})
            for k in range(2)
        )  # fmt: skip
        return bind_recipe(Recipe(steps=(Step(id="s", kind="hue_shift", name="any", rows=rows),)), ["0", "1"], {})

    sources = Sources(base, halves)
    evaluator = Evaluator(sources, ["base_color"])
    for space in ("OKLCh", "YIQ encoded", "OKLCh"):
        alone = Evaluator(sources, ["base_color"])(bound(space))
        assert np.array_equal(evaluator(bound(space))["base_color"], alone["base_color"]), space


def test_recipes_together_are_what_they_are_alone() -> None:
    """Values that differ, one program: every one begins with what all begin with, not with what the last one left."""
    rng = np.random.default_rng(5)
    sources, regions = random_sources(rng)
    first = random_steps(regions, rng, list(KINDS.values()))
    others = [random_steps(regions, np.random.default_rng(5 + k), [KINDS["tint"], KINDS["cover"]]) for k in range(3)]
    recipes = [[*first, *steps[:1]] for steps in others]
    for steps, made in zip(recipes, evaluate_surfaces(recipes, sources, ATTRIBUTES), strict=True):
        alone = evaluate_surface(steps, sources, ATTRIBUTES)
        for key, raster in made.items():
            assert np.array_equal(raster.pixels, alone[key].pixels), key
