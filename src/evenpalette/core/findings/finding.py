"""Something that is wrong or doubtful, and where: every check makes these, the project collects them."""

from collections.abc import Iterable, Sequence

from evenpalette.core.dataclass import dataclass


@dataclass(frozen=True)
class Finding:
    """Something to look at: a sentence, the station it belongs to, and where it is.

    place: (u, v) with v down, or None. region: the region's id, or ''. code: a stable word for scripts.
    subject: id of the texture, step, parameter or division it is about, or ''.
    """

    code: str
    station: str
    text: str
    region: str = ""
    place: tuple[float, float] | None = None
    subject: str = ""

    @property
    def key(self) -> str:
        """What it is known by from one look to the next, whatever its numbers are by then."""
        return " ".join((self.code, self.subject, self.region)).strip()


def without(findings: Sequence[Finding], ignored: Iterable[str]) -> tuple[list[Finding], list[Finding]]:
    """Those that are open, and those that the artist chose to leave, by their keys."""
    left = frozenset(ignored)
    return [f for f in findings if f.key not in left], [f for f in findings if f.key in left]
