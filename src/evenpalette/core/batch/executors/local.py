"""In processes of this machine, one thread each. A project's parts go to the process that has it open, while that has
nothing else to do; a process that dies is replaced and its job given to another."""

import threading
from collections import deque
from concurrent.futures import Future

from evenpalette.core.batch.child import Child
from evenpalette.core.batch.executor import RETRIES, Executor, ExecutorKind
from evenpalette.core.batch.parts import Made
from evenpalette.core.batch.work import Job
from evenpalette.core.errors import EvenPaletteError

_MOST = 256


class Local:
    """So many processes, each with a thread here that hands it jobs."""

    def __init__(self, count: int) -> None:
        self.width = count
        self.notes: list[str] = []
        self._wanted: deque[tuple[Job, Future[Made], int]] = deque()
        self._there = threading.Condition()
        self._closed = False
        self._children = [Child() for _ in range(count)]
        #: Which process opened a project last.
        self._owner: dict[str, int] = {}
        self._threads = [threading.Thread(target=self._serve, args=(n,), daemon=True) for n in range(count)]
        for thread in self._threads:
            thread.start()

    def submit(self, job: Job) -> "Future[Made]":
        """Begin a job."""
        future: Future[Made] = Future()
        with self._there:
            self._wanted.append((job, future, 0))
            self._there.notify()
        return future

    def close(self) -> None:
        """Let everything go."""
        with self._there:
            self._closed = True
            self._there.notify_all()
        for child in self._children:
            child.kill()
        for thread in self._threads:
            thread.join()

    def processes(self) -> list[int]:
        """The numbers of the processes that run."""
        return [child.pid for child in self._children if child.pid is not None]

    def _serve(self, number: int) -> None:
        while (taken := self._next(number)) is not None:
            job, future, tries = taken
            if not tries and not future.set_running_or_notify_cancel():
                continue
            try:
                made = self._children[number].ask(job)
            except EvenPaletteError as error:
                future.set_exception(error)
            except (OSError, ValueError, EOFError) as error:
                self._children[number].end()
                if self._closed or tries + 1 >= RETRIES:
                    future.set_exception(
                        EvenPaletteError(f"The process that made it died {tries + 1} times ({type(error).__name__}).")
                    )
                else:
                    with self._there:
                        self._wanted.appendleft((job, future, tries + 1))
                        self._there.notify()
            else:
                made.where = f"process {number + 1}"
                future.set_result(made)
        self._children[number].end()

    def _next(self, number: int) -> tuple[Job, "Future[Made]", int] | None:
        """The next job for a process: of a project that it has open, else of one that no other has; else it helps the
        others. None when all is done."""
        with self._there:
            while not self._wanted and not self._closed:
                self._there.wait()
            if self._closed:
                for _, future, _ in self._wanted:
                    future.cancel()
                self._wanted.clear()
                return None
            owners = [self._owner.get(job.project) for job, _, _ in self._wanted]
            place = next((i for i, owner in enumerate(owners) if owner == number), -1)
            if place < 0:
                place = next((i for i, owner in enumerate(owners) if owner is None), 0)
                self._owner.setdefault(self._wanted[place][0].project, number)
            taken = self._wanted[place]
            del self._wanted[place]
            return taken


def _begin(rest: str) -> Executor:
    count = int(rest) if rest.isascii() and rest.isdigit() else 0
    if not 1 <= count <= _MOST:
        raise EvenPaletteError(f"local:N is a number of processes from 1 to {_MOST}, not '{rest[:40]}'.")
    return Local(count)


EXECUTOR = ExecutorKind("local", 10, "local:N", _begin)
