"""In this process, one job after the other with all threads."""

from concurrent.futures import Future, ThreadPoolExecutor

from evenpalette.core.batch.executor import Executor, ExecutorKind
from evenpalette.core.batch.parts import Made
from evenpalette.core.batch.work import Job, work


class Here:
    """A thread that does one job after the other."""

    def __init__(self) -> None:
        self.width = 1
        self.notes: list[str] = []
        self._pool = ThreadPoolExecutor(1, "job")

    def submit(self, job: Job) -> "Future[Made]":
        """Begin a job."""
        return self._pool.submit(lambda: work(job.project, job.blob(), job.wish, job.part, 0, job.limits))

    def close(self) -> None:
        """Let everything go."""
        self._pool.shutdown(cancel_futures=True)


def _begin(rest: str) -> Executor:
    return Here()


EXECUTOR = ExecutorKind("here", 0, "", _begin)
