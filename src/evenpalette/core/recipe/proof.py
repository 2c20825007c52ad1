"""What every kind of step must keep, as tests that anybody can run on a kind of their own."""

from collections.abc import Callable, Iterator, Mapping

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.dataclass import dataclass
from evenpalette.core.raster.packing import packed
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR, Holds
from evenpalette.core.recipe.binding import bind_recipe
from evenpalette.core.recipe.evaluate import evaluate_surface
from evenpalette.core.recipe.example import example_step
from evenpalette.core.recipe.kind import StepKind
from evenpalette.core.recipe.recipe import Binding, Recipe, Step
from evenpalette.core.recipe.shader import kit_shader, made_attributes
from evenpalette.core.recipe.shader_text import ShaderReads
from evenpalette.core.recipe.sources import Sources
from evenpalette.core.recipe.weights import Sharing
from evenpalette.core.regions.overlap import Overlap
from evenpalette.core.values import Value, ValueType

_SIZE, _REGIONS = 64, ("a", "b", "c")
#: The part of the pixels that may differ by more than one code of 255, and by how much at most.
_MOST_PIXELS, _MOST_CODES = 0.001, 2
#: Draws a recipe's text: text, textures by sampler, size, attribute; float32 (h, w, planes).
Draw = Callable[[str, Mapping[str, Raster], tuple[int, int], str], NDArray[np.float32]]


@dataclass(frozen=True)
class Proof:
    """One thing that was looked at. problem: what is not so, '' where all is well."""

    what: str
    problem: str = ""


class _Trial:
    def __init__(self) -> None:
        source = np.random.default_rng(7)
        self.base = Raster(source.integers(0, 256, (_SIZE, _SIZE, 3), np.uint8), Encoding.SRGB)
        self.planes = [source.integers(0, 256, (_SIZE, _SIZE), np.uint8) for _ in _REGIONS]
        self.planes[1][:, : _SIZE // 2] = 0
        self.texture = Raster(source.integers(0, 256, (_SIZE, _SIZE, 4), np.uint8), Encoding.DATA)
        self.sharing = (Sharing(Overlap.EXCLUSIVE, len(_REGIONS)),)
        self.sources = Sources(self.base, self.planes, self.sharing, {"t": self.texture})

    def run(
        self, steps: tuple[Step, ...], wanted: tuple[str, ...], box: tuple[int, int, int, int] | None = None
    ) -> dict[str, NDArray]:
        bound = bind_recipe(Recipe(steps=steps), list(_REGIONS), {})
        made = evaluate_surface(bound, self.sources, wanted, box=box, float_output=True)
        return {key: raster.pixels for key, raster in made.items()}

    def drawn(self, steps: tuple[Step, ...], draw: Draw, attribute: str) -> NDArray[np.float32]:
        reads = ShaderReads({"t": 4}, 3, self.sharing, list(_REGIONS))
        shader = kit_shader(Recipe(steps=steps), reads)
        rasters = {"ep_base": self.base, "ep_coverage_0": Raster(packed(self.planes), Encoding.DATA)}
        rasters |= dict.fromkeys(shader.textures, self.texture)
        return draw(shader.text, rasters, (_SIZE, _SIZE), attribute)


def proofs_of(kind: StepKind, draw: Draw | None = None) -> Iterator[Proof]:
    """Look at a kind: its words, that it does nothing where it should not, that its numbers are numbers, that a part of
    the picture is what the whole is, and, with `draw`, that its GLSL is what its kernel is."""
    trial = _Trial()
    yield Proof("it has words, a formula and a source", _words(kind))
    if not kind.examples:
        yield Proof("it has examples", "there is none: name sets of values away from the neutral ones")
        return
    wanted = tuple(dict.fromkeys((BASE_COLOR, *kind.writes)))
    before = trial.run((), wanted)
    for number, values in enumerate(kind.examples, 1):
        name = f"example {number}"
        try:
            step = example_step(kind, values, ("a",))
            after = trial.run((step,), wanted)
            yield Proof(f"{name}: it changes what it says it writes", _changes(kind, before, after))
            off = trial.run((step.model_copy(update={"amount": Binding(value=0.0)}),), wanted)
            yield Proof(f"{name}: an amount of 0 changes nothing", _same(before, off, 2e-6))
            other = trial.run((_only_in_b(step),), wanted)
            yield Proof(f"{name}: it leaves what its regions do not cover", _left(trial, before, other))
            box = (17, 5, 51, 42)
            part = trial.run((step,), wanted, box)
            whole = {key: pixels[box[1] : box[3], box[0] : box[2]] for key, pixels in after.items()}
            yield Proof(f"{name}: a part of the picture is what the whole is", _same(whole, part, 2e-6))
            if draw is not None:
                for attribute in [a for a in kind.writes if a in made_attributes(Recipe(steps=(step,)), ())]:
                    drawn = trial.drawn((step,), draw, attribute)
                    yield Proof(
                        f"{name}: {attribute} by GLSL is what the kernel makes",
                        _apart(attribute, after[attribute], drawn),
                    )
        except Exception as error:
            yield Proof(f"{name}: it runs", f"{type(error).__name__}: {str(error)[:300]}")
    yield Proof("at the ends of its ranges its numbers are numbers", _finite(trial, kind, wanted))


def _words(kind: StepKind) -> str:
    missing = [word for word in ("label", "summary", "formula", "source") if not getattr(kind, word).strip()]
    return f"it has no {', no '.join(missing)}" if missing else ""


def _only_in_b(step: Step) -> Step:
    return step.model_copy(update={"rows": tuple(r.model_copy(update={"regions": ("b",)}) for r in step.rows[:1])})


def _same(one: Mapping[str, NDArray], two: Mapping[str, NDArray], most: float) -> str:
    for key, pixels in one.items():
        off = float(np.abs(pixels - two[key]).max()) if np.isfinite(two[key]).all() else float("inf")
        if off > most:
            return f"{key} differs by {off:.2g}"
    return ""


def _changes(kind: StepKind, before: Mapping[str, NDArray], after: Mapping[str, NDArray]) -> str:
    if any(np.abs(after[key] - before[key]).max() > 1e-4 for key in kind.writes):
        return ""
    return "nothing of it changes"


def _left(trial: _Trial, before: Mapping[str, NDArray], after: Mapping[str, NDArray]) -> str:
    bare = trial.planes[1] == 0
    if not bare.any():
        return ""
    return _same({k: v[bare] for k, v in before.items()}, {k: v[bare] for k, v in after.items()}, 2e-6)


def _finite(trial: _Trial, kind: StepKind, wanted: tuple[str, ...]) -> str:
    for setting in kind.inputs:
        ends: tuple[Value, ...] = ()
        if setting.is_number:
            ends = (setting.low, setting.high)
        elif setting.type is ValueType.COLOR:
            ends = ("#000000", "#ffffff")
        elif setting.type is ValueType.CHOICE:
            ends = setting.choices
        for end in ends:
            try:
                made = trial.run((example_step(kind, {**kind.examples[0], setting.key: end}),), wanted)
            except Exception as error:
                return f"{setting.key} at {end}: {type(error).__name__}: {str(error)[:200]}"
            for key, pixels in made.items():
                if not np.isfinite(pixels).all():
                    return f"{setting.key} at {end}: {key} is not finite"
    return ""


def _apart(attribute: str, cpu: NDArray, gpu: NDArray) -> str:
    planes = ATTRIBUTES[attribute].planes
    one, two = (np.asarray(v[..., :planes], np.float32) for v in (cpu, gpu))
    if ATTRIBUTES[attribute].holds in (Holds.COLOR, Holds.LIGHT):
        one, two = (np.asarray(encode_srgb(np.clip(v, 0, 1)), np.float32) for v in (one, two))
    elif ATTRIBUTES[attribute].holds is Holds.SLOPES:
        one, two = (np.asarray(np.clip(v, -4, 4) / 8 + 0.5, np.float32) for v in (one, two))
    codes = np.abs(np.rint(np.clip(one, 0, 1) * 255) - np.rint(np.clip(two, 0, 1) * 255)).max(-1)
    share, most = float((codes > 1).mean()), float(codes.max())
    if share > _MOST_PIXELS or most > _MOST_CODES:
        return f"{share:.1%} of the pixels are more than a code apart, at most {most:.0f}"
    return ""
