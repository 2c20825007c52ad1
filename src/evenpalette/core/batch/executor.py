"""What everything that runs jobs has in common."""

from collections.abc import Callable
from concurrent.futures import Future
from typing import Protocol

from evenpalette.core.batch.parts import Made
from evenpalette.core.batch.work import Job
from evenpalette.core.dataclass import dataclass

#: A job whose worker died is given to another so many times.
RETRIES = 3


class Executor(Protocol):
    """Runs jobs. width: how many at once. notes: what is worth saying of it once, in sentences."""

    width: int
    notes: list[str]

    def submit(self, job: Job) -> "Future[Made]":
        """Begin a job; what goes wrong is raised by its result: EvenPaletteError, where the project is to blame."""

    def close(self) -> None:
        """Let everything go; jobs that run are given up."""


@dataclass(frozen=True)
class ExecutorKind:
    """A way to run jobs. words: as it is asked for, '' for what is there without. begin: makes one of what stands
    behind the colon; raises EvenPaletteError."""

    key: str
    order: int
    words: str
    begin: Callable[[str], Executor]
