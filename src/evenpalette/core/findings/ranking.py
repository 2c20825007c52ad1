"""Findings in the order in which they matter, what has one cause said once, and what the artist has chosen to leave."""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from itertools import groupby

from evenpalette.core.finding import Finding

#: What makes a result wrong comes first, what makes it poor next, tidying last.
_WRONG = frozenset({
    "data-as-color", "color-as-data", "looks-like-normal", "uv-outside", "uv-empty", "bare-sheet", "gap", "unassigned-faces", "overlap", "empty",
    "shared-texels", "no-tone", "unknown-step", "no-texture", "no-region", "link-lost", "many-samplers",
})  # fmt: skip
_TIDY = frozenset(
    {"speck", "thin", "same-flag", "same-name", "impure-flag", "unused-parameter", "unseen-parameter", "link-changed"}
)


def weight(finding: Finding) -> int:
    """0: a result is wrong; 1: it is poor; 2: something could be tidier."""
    return 0 if finding.code in _WRONG else 2 if finding.code in _TIDY else 1


def ranked(findings: Iterable[Finding]) -> list[Finding]:
    """The ones that matter most first, each kind in the order of the path."""
    return sorted(findings, key=weight)


def without(findings: Sequence[Finding], ignored: Iterable[str]) -> tuple[list[Finding], list[Finding]]:
    """Those that are open, and those that the artist chose to leave, by their keys."""
    left = frozenset(ignored)
    return [f for f in findings if f.key not in left], [f for f in findings if f.key in left]


def joined(findings: Sequence[Finding], names: dict[str, str]) -> list[Finding]:
    """Findings of several regions that say the same of each, as one: two regions that meet at a seam are lost on it
    together.

    names: of regions, by their ids; what is joined begins with one.
    """
    found: list[Finding] = []
    for (code, rest), group in groupby(findings, key=lambda f: _said(f, names)):
        held = list(group)
        if len(held) == 1 or not code:
            found += held
            continue
        called = listed([names[f.region] for f in held])
        text = called + rest.replace(" is lost", " are lost").replace("it differs", "they differ").replace(
            " covers no", " cover no"
        )
        found.append(replace(held[0], text=text))
    return found


def _said(finding: Finding, names: dict[str, str]) -> tuple[str, str]:
    """The code and what is said behind the name of a region; '' where it is not to be joined."""
    name = names.get(finding.region)
    if finding.code not in ("seam", "empty") or name is None or not finding.text.startswith(name):
        return "", ""
    return finding.code, finding.text[len(name) :]


def listed(names: Sequence[str]) -> str:
    """'A', 'A and B', 'A, B and C', 'A, B, C and 4 more'."""
    if len(names) > 4:
        return f"{', '.join(names[:3])} and {len(names) - 3} more"
    return f"{', '.join(names[:-1])} and {names[-1]}" if len(names) > 1 else names[0]
