"""Steps that need a texture and read none."""

from collections.abc import Iterator

from evenpalette.core.document.state import State
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.placement import Placement
from evenpalette.core.recipe.binding import map_read, read_binding
from evenpalette.core.recipe.kind import MapInput
from evenpalette.core.recipe.recipe import Binding
from evenpalette.core.recipe.steps import KINDS


def find(look: Inspection) -> Iterator[Finding]:
    """Each input of a step that reads nothing, in all its rows or in some."""
    for step in look.project.recipe.steps:
        if step.kind not in KINDS:
            continue
        for map_ in KINDS[step.kind].maps if step.rows else ():
            missing = [row for row in step.rows if not _is_read(look.state, map_, step.binding(row, map_.key))]
            if missing and map_.needed:
                some = len(missing) < len(step.rows)
                where = f" in {len(missing)} of its rows" if some else ""
                text = f"{step.name} reads no texture for {map_.label.lower()}{where}, so it changes nothing"
                yield FINDING.at(text + (" there" if some else ""))


def _is_read(state: State, map_: MapInput, binding: Binding | None) -> bool:
    """Whether a binding names a texture that is there."""
    value = read_binding(binding, map_.input, {p.id: p.default for p in state.project.parameters})
    read = map_read(map_, str(value or ""), Placement())
    return read is not None and read.texture in state.textures


FINDING = FindingKind("no-texture", "recipe", 30, Weight.WRONG, Cost.DESCRIPTION, find)
