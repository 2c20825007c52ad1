"""Running independent pieces of work on worker threads, with progress and cancel."""

import os
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from contextvars import ContextVar, copy_context
from typing import TypeVar

T = TypeVar("T")
#: Called with the share done, 0..1. Raising Cancelled from it stops the work.
Progress = Callable[[float], None]

#: Threads of a piece of work that nobody gave fewer.
_EACH_CORE = max(1, min(os.cpu_count() or 1, 16))
_given: ContextVar[int] = ContextVar("threads", default=0)


def threads_of_work() -> int:
    """How many threads the work that is being done here may use."""
    return _given.get() or _EACH_CORE


@contextmanager
def threads(count: int) -> Iterator[None]:
    """Work that is begun inside uses so many threads, in this thread and in no other; 0 is one for each core."""
    token = _given.set(count)
    try:
        yield
    finally:
        _given.reset(token)


def no_progress(_: float) -> None:
    """For callers that do not watch."""


def part_of(progress: Progress, begin: float, share: float) -> Progress:
    """Progress of one piece of a work, which begins at a share 0..1 of the whole and takes another."""
    return lambda done: progress(begin + done * share)


def run_over(
    pieces: Iterable[T], work: Callable[[T], None], progress: Progress = no_progress, workers: int = 0
) -> None:
    """Call `work` for every piece, several at once. `progress` is called from the calling thread.

    workers: threads, 0 is one for each core. The first error stops the rest and is raised here; so is Cancelled.
    """
    todo = list(pieces)
    workers = workers or threads_of_work()
    if len(todo) <= 1 or workers == 1:
        for done, piece in enumerate(todo, 1):
            work(piece)
            progress(done / len(todo))
        return
    stopped = False

    def guarded(piece: T) -> None:
        if not stopped:
            work(piece)

    with ThreadPoolExecutor(workers) as pool:
        # What the work has of its own (threads, limits, pictures) its pieces have too.
        futures = [pool.submit(copy_context().run, guarded, piece) for piece in todo]
        try:
            for done, future in enumerate(futures, 1):
                future.result()
                if done % 8 == 0 or done == len(futures):
                    progress(done / len(futures))
        except BaseException:
            stopped = True
            raise


#: Texels of a strip: few enough that several in work at once take little memory.
STRIP_TEXELS = 1 << 18


def row_strips(height: int, width: int, texels: int = STRIP_TEXELS) -> list[slice]:
    """The rows of a picture in strips of about so many texels."""
    rows = max(1, texels // max(1, width))
    return [slice(top, min(top + rows, height)) for top in range(0, height, rows)]
