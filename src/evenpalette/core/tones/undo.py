"""What the paint must be before the steps that bend it, so that the tints are fitted to what they tint.

The steps without the tints are a function of the color that comes in, texel by texel. It is undone by Newton's method
with a Jacobian from small differences. Where it cannot be undone (a color that is replaced, a saturation of zero) the
texel does not vote, and the step is named.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32
from evenpalette.core.dataclass import dataclass
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import BASE_COLOR
from evenpalette.core.recipe.binding import BoundStep
from evenpalette.core.recipe.evaluate import evaluate
from evenpalette.core.recipe.sources import Sources

_ROUNDS, _SMALL = 8, 4e-3
#: Steps whose result hardly follows what comes in, by the smallest factor of a change.
_LOST = 0.04
#: Colors that turn by more than this are bent: radians.
_TURNED = 0.02


@dataclass(frozen=True)
class Undone:
    """paint: linear RGB (height, width, 3) before the steps. sure: weights 0..1 (height, width), 0 where it cannot be
    known. bent: whether any color points elsewhere than afterwards. causes: names of steps that cannot be undone."""

    paint: F32
    sure: F32
    bent: bool
    causes: tuple[str, ...]


def undo_steps(steps: Sequence[BoundStep], tints: frozenset[str], sources: Sources, painted: F32) -> Undone:
    """Undo all steps but the tints, by step id, on a picture of the sources' size: painted is linear RGB.

    A step before the tints is undone as if it came after them: what both do to a color is what counts.
    """
    others = [step for step in steps if step.step_id not in tints and _touches(step)]
    height, width = painted.shape[:2]
    if not others:
        return Undone(painted, np.ones((height, width), np.float32), False, ())

    def run(color: F32, chosen: Sequence[BoundStep] = others) -> F32:
        base = Raster(np.ascontiguousarray(color, np.float32), Encoding.LINEAR)
        return evaluate(chosen, replace(sources, base=base), float_output=True).pixels

    paint, singular = _invert(run, painted)
    sure = np.clip((singular - _LOST) / 0.1, 0, 1).astype(np.float32)
    off = np.abs(run(paint) - painted).max(-1)
    sure *= np.clip(1.5 - off / 0.02, 0, 1)
    visible = (sure > 0.5) & (painted.sum(-1) > 0.03)
    turned = _angles(paint, painted)[visible]
    causes = []
    if float((sure < 0.5).mean()) > 0.02:
        for step in others:
            _, lost = _invert(lambda color, s=step: run(color, [s]), painted, rounds=0)  # type: ignore[misc]
            if float((lost < _LOST).mean()) > 0.02:
                causes.append(step.name)
    bent = bool(len(turned)) and float(np.quantile(turned, 0.9)) > _TURNED
    return Undone(np.maximum(paint, 0), sure, bent, tuple(causes))


def _touches(step: BoundStep) -> bool:
    return not step.is_idle and any(op.writes == BASE_COLOR and step.is_active(op) for op in step.kind.ops)


def _angles(one: F32, other: F32) -> NDArray[np.float64]:
    lengths = np.linalg.norm(one, axis=-1) * np.linalg.norm(other, axis=-1)
    return np.asarray(np.arccos(np.clip((one * other).sum(-1) / np.maximum(lengths, 1e-9), -1, 1)))


def _invert(run: Callable[[F32], F32], wanted: F32, rounds: int = _ROUNDS) -> tuple[F32, F32]:
    """The input for which `run` gives what is wanted, and the smallest factor by which it passes a change on."""
    color = wanted.astype(np.float32)
    least = np.ones(wanted.shape[:2], np.float32)
    best, error = color, np.full(wanted.shape[:2], np.inf, np.float32)
    for turn in range(rounds + 1):
        now = run(color)
        off = np.abs(now - wanted).max(-1)
        better = off < error
        best, error = np.where(better[..., None], color, best), np.where(better, off, error)
        if turn and (turn == rounds or float(np.quantile(error, 0.98)) < 2e-4):
            break
        jacobian = np.stack([(run(color + _SMALL * axis) - now) / _SMALL for axis in np.eye(3, dtype=np.float32)], -1)
        if turn == 0:
            least = np.linalg.svd(jacobian, compute_uv=False)[..., -1].astype(np.float32)
            if rounds == 0:
                break
        # Damped where a direction is nearly lost, so that nothing runs away.
        square = np.swapaxes(jacobian, -1, -2)
        step = np.linalg.solve(square @ jacobian + 1e-4 * np.eye(3), (square @ (wanted - now)[..., None]))[..., 0]
        color = np.clip(color + np.clip(step, -0.5, 0.5), -0.05, 8).astype(np.float32)
    return best.astype(np.float32), least
