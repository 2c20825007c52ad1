"""Used texels that are in no region."""

from collections.abc import Iterable, Iterator

from evenpalette.core.document.state import State
from evenpalette.core.edits import regions
from evenpalette.core.edits.painting import is_paintable, with_painted
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.regions.checks.gaps import spot
from evenpalette.core.regions.owners import give_gaps
from evenpalette.core.regions.region_set import Division, Region
from evenpalette.core.regions.sources.flag import FlagSource


def find(look: Inspection) -> Iterator[Finding]:
    """Texels away from the border of islands that no region holds half of."""
    for division in look.divisions:
        if not division.planes:
            continue
        gaps = division.inside & (division.held.total < 128)
        if gaps.any():
            text = f"Gap: {int(gaps.sum()):,} used texels are in no region"
            yield FINDING.at(text, place=spot(gaps)[0], subject=division.division.id)


def mend(state: State, finding: Finding) -> Mend | None:
    """Give them to the nearest region: in the ID map where there is one, else to those that are painted."""
    division = state.project.regions.division(finding.subject) or state.project.regions.divisions[0]
    maps = flag_maps(division.regions)
    if maps:
        return "Give gaps to the nearest region", lambda s: regions.clean_texture(s, maps[0], 0, True)[0]
    if any(is_paintable(region) for region in division.regions):
        return "Give gaps to the nearest painted region", lambda s: _fill_painted(s, division)
    return None


def flag_maps(regions: Iterable[Region]) -> list[str]:
    """The ID maps that regions are read from, each once."""
    sources = [region.source for region in regions]
    return list(dict.fromkeys(source.texture for source in sources if isinstance(source, FlagSource)))


def _fill_painted(state: State, division: Division) -> State:
    paintable = [r.id for r in division.regions if is_paintable(r)]
    others = [state.coverages[r.id] for r in division.regions if r.id not in paintable]
    planes = give_gaps([state.coverages[r] for r in paintable], others, state.used)
    return with_painted(state, dict(zip(paintable, planes, strict=True)))


FINDING = FindingKind("gap", "regions", 20, Weight.WRONG, Cost.TEXELS, find, mend)
