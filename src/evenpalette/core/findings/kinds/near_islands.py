"""Islands of different regions that are closer than the padding: their colors mix in mip levels."""

from collections.abc import Iterator

from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection
from evenpalette.core.findings.kind import Cost, FindingKind, Weight
from evenpalette.core.regions.checks.seams import near_islands

#: Islands closer than this bleed into each other early, whatever padding was asked for: common practice, no source.
_MOST_PADDING = 16


def find(look: Inspection) -> Iterator[Finding]:
    """The two that are nearest in each division; none where texels are shared, which looks like it from here."""
    wanted = min(look.project.regions.bake.padding_texels, _MOST_PADDING)
    for division in look.whole_divisions:
        if division.texels is None or division.shared is not None:
            continue
        near = near_islands(division.owner, division.texels, wanted)
        if near is not None:
            regions = division.division.regions
            one, other = (regions[n].name for n in near.regions)
            texels = f"{near.gap_texels:.0f} texel{'' if round(near.gap_texels) == 1 else 's'}"
            text = (
                f"Islands of {one} and {other} are {texels} apart, closer than {wanted} of padding: "
                f"their colors mix from mip level {near.mip_level} on"
            )
            yield FINDING.at(text, regions[near.regions[0]].id, near.place)


FINDING = FindingKind("near-islands", "regions", 110, Weight.POOR, Cost.TEXELS, find)
