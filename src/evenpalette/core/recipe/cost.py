"""What a step of shader text costs a pixel, counted from the text."""

import re
from collections.abc import Iterable

from evenpalette.core.dataclass import dataclass

#: Texture reads of each function that reads: those that fetch texels one by one count each of them.
_READS = {"textureGrad": 1, "ep_laid": 1, "ep_placed": 8, "ep_tile": 8, "ep_cells": 32, "ep_looked_up": 8}
_READ = re.compile(rf"\b({'|'.join(_READS)})\((\w+)")
#: An operator between two things, or a call.
_WORK = re.compile(r"(?<=[\w)\]]) [-+*/%] |\b[a-z]\w*\(")
_COMMENT = re.compile(r"//[^\n]*")


@dataclass(frozen=True)
class StepCost:
    """reads: samplers and how often each is read. arithmetic: operators and calls in the text of all rows, an
    estimate."""

    step_id: str
    reads: tuple[tuple[str, int], ...]
    arithmetic: int


def reads_of(lines: Iterable[str]) -> tuple[tuple[str, int], ...]:
    """The samplers that statements read, and how often."""
    return tuple((sampler, _READS[function]) for line in lines for function, sampler in _READ.findall(line))


def work_of(text: str) -> int:
    """Operators and calls in a text."""
    return len(_WORK.findall(_COMMENT.sub("", text)))
