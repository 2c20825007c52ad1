"""Whether a Drift keeps the mean that it promises: it does where its noise lies evenly about its middle."""

from collections.abc import Iterator
from itertools import pairwise

import numpy as np

from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.recipe.attributes import BASE_COLOR
from evenpalette.core.recipe.evaluate import weight_planes
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.variants.small_surface import small_sources, small_stages

#: CIEDE2000 by which a mean may move unseen: common practice, no source.
_UNSEEN = 1.0
_SIDE = 64


def find(look: Inspection) -> Iterator[Finding]:
    """Each step that keeps the mean, after which the mean color of what it covers is another one, with the defaults."""
    state = look.state
    steps = state.project.recipe.steps
    drifts = {s.id for s in steps if s.enabled and s.kind in KINDS and KINDS[s.kind].keeps_mean}
    if not drifts:
        return
    small, used = small_sources(state, _SIDE)
    bound = state.bound_steps(None)
    frames = (np.asarray(frame[BASE_COLOR]) for frame in small_stages(bound, small, (BASE_COLOR,)))
    for step, (before, after) in zip(bound, pairwise(frames), strict=True):
        if step.step_id not in drifts:
            continue
        weight = weight_planes(step, small).reshape(-1) * used.reshape(-1)
        if weight.sum() == 0:
            continue
        one, other = (
            (picture @ weight / weight.sum()).astype(np.float32)
            for picture in (np.clip(before, 0, 1), np.clip(after, 0, 1))
        )
        moved = float(difference_of_linear(one, other))
        if moved > _UNSEEN:
            text = (
                f"{step.name} moves the mean color by CIEDE2000 {moved:.1f}: its noise does not lie evenly about the middle gray. "
                "Stretch it there, or make one under Asset"
            )
            yield FINDING.at(text, subject=step.step_id)


FINDING = FindingKind("moved-mean", "recipe", 70, Weight.POOR, Cost.PICTURES, find)
