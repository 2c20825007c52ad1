"""What a kind of finding is: how it looks, what that costs, how much it matters, and how one click mends it."""

from collections.abc import Callable, Iterable
from enum import IntEnum, StrEnum

from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.state import State
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.inspection import Inspection

Edit = Callable[[State], State]
#: A label, and the edit that does it.
Mend = tuple[str, Edit]


class Weight(IntEnum):
    """How much a finding matters; what matters most is said first."""

    WRONG = 0
    POOR = 1
    TIDY = 2


class Cost(StrEnum):
    """What it takes to look.

    DESCRIPTION: reads the project alone. PICTURES: looks at pixels or evaluates on few texels; remembered by what was
    looked at. TEXELS: looks at every texel of the coverages; holds until regions, coverages or mesh change.
    """

    DESCRIPTION = "description"
    PICTURES = "pictures"
    TEXELS = "texels"


@dataclass(frozen=True)
class FindingKind:
    """One thing that can be wrong with a document. A file in `findings/kinds` that defines FINDING is one.

    key: the stable word for scripts. station: where it is said. order: among those of its station. find: every place
    where it is so. mend: what one click does, or None where only the artist can decide.
    """

    key: str
    station: str
    order: int
    weight: Weight
    cost: Cost
    find: Callable[[Inspection], Iterable[Finding]]
    mend: Callable[[State, Finding], Mend | None] | None = None

    def at(self, text: str, region: str = "", place: tuple[float, float] | None = None, subject: str = "") -> Finding:
        """A finding of this kind."""
        return Finding(self.key, self.station, text, region, place, subject)
