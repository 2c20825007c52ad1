"""What can be simulated of three thousand assets: our own loop, and Dask's, with workers that sleep."""

import contextlib
import json
import sys
import tempfile
import threading
import time
from collections import deque
from concurrent.futures import Future
from pathlib import Path

from benchmarks.many import cluster
from evenpalette.core.batch.deliver import Batch
from evenpalette.core.batch.delivery import Asset, Delivery
from evenpalette.core.batch.parts import CHECK, PLAN, Made, Part
from evenpalette.core.batch.wish import Wish
from evenpalette.core.batch.work import Job

#: Assets, and the parts that each has beside its plan and its check: about 200,000 jobs.
ASSETS, PARTS = 3000, 65


class Sleeping(Delivery):
    """A delivery whose parts are nothing but time; no file is touched."""

    def __init__(self, number: int) -> None:
        super().__init__(Asset(f"asset {number}", Path("none"), Path("none") / str(number)), Wish(), again=True)
        self._left = 2

    @property
    def is_whole(self) -> bool:
        return not self._left

    @property
    def share(self) -> float:
        return 1.0 if not self._left else 0.0

    def begin(self, blob: Path) -> list[Part]:
        return [Part(PLAN), Part(CHECK)]

    def take(self, part: Part, made: Made) -> list[Part]:
        self._left -= 1
        if part.kind != PLAN:
            return []
        self._left += PARTS
        return [Part("sleep", str(number)) for number in range(PARTS)]

    def finish(self) -> None:
        return

    def end(self) -> None:
        return

    def let_go(self) -> None:
        return


class Sleepers:
    """So many workers, of which each job takes the same time."""

    def __init__(self, width: int, seconds: float) -> None:
        self.width, self.notes, self._seconds = width, list[str](), seconds
        self._wanted: deque[tuple[float, Future[Made]]] = deque()
        self._free = [0.0] * width
        self._there = threading.Condition()
        threading.Thread(target=self._run, daemon=True).start()

    def submit(self, job: Job) -> "Future[Made]":
        """Begin a job: it is done when the worker that is free first has slept."""
        future: Future[Made] = Future()
        with self._there:
            now = time.perf_counter()
            first = min(range(self.width), key=self._free.__getitem__) if self.width <= 16 else self._next()
            self._free[first] = max(now, self._free[first]) + self._seconds
            self._wanted.append((self._free[first], future))
            self._there.notify()
        return future

    def _next(self) -> int:
        self._turn = (getattr(self, "_turn", -1) + 1) % self.width
        return self._turn

    def _run(self) -> None:
        while True:
            with self._there:
                while not self._wanted:
                    self._there.wait()
                end, future = self._wanted.popleft()
            if (left := end - time.perf_counter()) > 0:
                time.sleep(left)
            future.set_result(Made(value=[]))

    def close(self) -> None:
        """Nothing is held."""


def ours(width: int, seconds: float) -> float:
    """Seconds that our loop takes for all jobs with so many workers."""
    deliveries = [Sleeping(number) for number in range(ASSETS)]
    with tempfile.TemporaryDirectory() as scratch:
        began = time.perf_counter()
        Batch(deliveries, Wish(), Sleepers(width, seconds), Path(scratch)).run()
        return time.perf_counter() - began


def theirs(count: int) -> float:
    """Seconds that a scheduler of Dask takes for jobs that do nothing."""
    from distributed import Client, as_completed

    with tempfile.TemporaryDirectory() as place, cluster(Path(place)) as address:
        client = Client(address, set_as_default=False)
        began = time.perf_counter()
        waiting = as_completed([client.submit(abs, n, pure=False) for n in range(200)], loop=client.loop)
        sent = 200
        for _ in waiting:
            if sent < count:
                waiting.add(client.submit(abs, sent, pure=False))
                sent += 1
        seconds = time.perf_counter() - began
        client.close()
        return seconds


def run() -> None:
    """Print what a job costs beside its own work."""
    jobs = ASSETS * (PARTS + 2)
    for width, seconds in ((16, 0.0), (256, 0.0), (256, 0.02)):
        took = ours(width, seconds)
        ideal = jobs * seconds / width
        print(
            json.dumps(
                {
                    "jobs": jobs, "workers": width, "each sleeps": seconds, "seconds": round(took, 1),
                    "ideal": round(ideal, 1), "of ours a job, ms": round((took - ideal) / jobs * 1000, 3),
                }
            )
        )  # fmt: skip
    with contextlib.suppress(ImportError):
        count = 20_000
        took = theirs(count)
        print(json.dumps({"Dask, jobs": count, "seconds": round(took, 1), "a job, ms": round(took / count * 1000, 3)}))
    sys.stdout.flush()


if __name__ == "__main__":
    run()
