"""Variants that nobody can tell apart."""

from collections.abc import Iterator

from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.variants.perceptual_difference import alike


def find(look: Inspection) -> Iterator[Finding]:
    """Pairs; of several that are alike each is named beside the first of them."""
    names = {variant.id: variant.name for variant in look.project.variants}
    named = set()
    for pair in alike(look.state):
        if pair.second in named:
            continue
        named.add(pair.second)
        one, other, units = names[pair.second], names[pair.first], pair.apart.units
        text = f"{one} and {other} look the same"
        if units >= 0.05:
            text = f"{one} and {other} can hardly be told apart: they differ by CIEDE2000 {units:.1f} at most"
        yield FINDING.at(text, pair.apart.region, subject=pair.second)


FINDING = FindingKind("same-variant", "variants", 10, Weight.POOR, Cost.PICTURES, find)
