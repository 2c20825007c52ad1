"""Pieces of regions, and holes in them, that are too small to be meant."""

from collections.abc import Iterator

import numpy as np

from evenpalette.core.document.state import State
from evenpalette.core.edits import regions
from evenpalette.core.edits.painting import is_paintable, with_painted
from evenpalette.core.edits.refining import add_operation
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.findings.kinds.gap import flag_maps
from evenpalette.core.regions.checks.gaps import spot
from evenpalette.core.regions.checks.specks import SMALLEST_TEXELS, despeckle
from evenpalette.core.regions.sources.flag import FlagSource


def find(look: Inspection) -> Iterator[Finding]:
    """Where each division has some, but for one that is a grain."""
    for division in look.whole_divisions:
        if division.is_grainy or not division.specks.any():
            continue
        place, pieces = spot(division.specks)
        what = "1 speck or hole" if pieces == 1 else f"{pieces:,} specks or holes"
        height, width = division.owner.shape
        index = int(division.owner[int(place[1] * height), int(place[0] * width)])
        region = division.division.regions[index].id if index >= 0 else ""
        yield FINDING.at(f"{what} of fewer than {SMALLEST_TEXELS} texels", region, place)


def mend(_: State, __: Finding) -> Mend:
    """Take them out everywhere."""
    return "Take specks out, fill holes", _without_specks


def _without_specks(state: State) -> State:
    """ID maps are cleaned; painted regions mended as they are; all others get an operation."""
    for texture in flag_maps(state.project.regions.regions):
        state = regions.clean_texture(state, texture, SMALLEST_TEXELS, False)[0]
    painted = {}
    for region in state.project.regions.regions:
        if is_paintable(region):
            plane = state.coverages[region.id].astype(np.float32) / np.float32(255)
            painted[region.id] = np.rint(despeckle(plane, SMALLEST_TEXELS) * 255).astype(np.uint8)
    state = with_painted(state, painted) if painted else state
    for region in state.project.regions.regions:
        has_one = any(operation.kind == "despeckle" for operation in region.operations)
        if not has_one and region.id not in painted and not isinstance(region.source, FlagSource):
            state = add_operation(state, region.id, "despeckle")
    return state


FINDING = FindingKind("speck", "regions", 80, Weight.TIDY, Cost.TEXELS, find, mend)
