"""Variants that most can tell apart, and one man in twelve cannot.

About 8% of men see red or green weakly (common practice, no source), most of them green; it is looked at with the
strength that lies in the middle of what is called anomalous.
"""

from collections.abc import Iterator

from evenpalette.core.color.vision import Vision
from evenpalette.core.document.state import State
from evenpalette.core.edits.part_by_lightness import part_by_lightness
from evenpalette.core.edits.variants import set_value
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Mend, Weight
from evenpalette.core.variants.compare import Comparison
from evenpalette.core.variants.perceptual_difference import TOLD_APART

VISION = Vision("deuteranomaly", 0.6)
#: More variants are not looked at while the artist works; `compare` looks at all.
_MOST = 60


def find(look: Inspection) -> Iterator[Finding]:
    """Each pair, with the region where it differs most to most eyes."""
    variants = look.project.variants
    if not 2 <= len(variants) <= _MOST:
        return
    names = {v.id: v.name for v in variants}
    regions = {r.id: r.name for r in look.project.regions.regions}
    looked = Comparison(look.state)
    near = [pair for pair in looked.pairs(VISION) if pair.units < TOLD_APART]
    apart = {(p.first, p.second): p for p in looked.pairs()} if near else {}
    for pair in near:
        usual = apart[pair.first, pair.second]
        if usual.units < TOLD_APART:
            continue
        where = regions.get(usual.region, "the whole")
        text = f"{names[pair.first]} and {names[pair.second]} are alike for 1 in 12 men, who see green weakly: {usual.units:.1f} apart in {where}, to them {pair.units:.1f}"
        yield FINDING.at(text, usual.region, subject=f"{pair.first} {pair.second}")


def mend(state: State, finding: Finding) -> Mend | None:
    """Move one of them in lightness as little as parts them."""
    first, _, second = finding.subject.partition(" ")
    made = part_by_lightness(state, first, second, finding.region, VISION)
    return (made[0], lambda s: set_value(s, *made[1])) if made is not None else None


FINDING = FindingKind("alike-for-some", "variants", 12, Weight.TIDY, Cost.PICTURES, find, mend)
