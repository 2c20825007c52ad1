"""Delivering many projects: what is unchanged stays, the rest is cut into jobs, and each project's files take their
places together.

What is done is never done again without need: a project of which nothing has changed is not even opened; of one that
has changed only those parts are made that depend on it; and parts that were made before the work was stopped or killed
lie beside the delivery until it is whole.
"""

import heapq
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from pathlib import Path
from queue import SimpleQueue

from evenpalette.core.batch.delivery import FAILED, Asset, AssetReport, Delivery
from evenpalette.core.batch.executor import Executor
from evenpalette.core.batch.parts import Made, Part
from evenpalette.core.batch.wish import Wish
from evenpalette.core.batch.work import Job
from evenpalette.core.errors import Cancelled, EvenPaletteError
from evenpalette.core.files import reason
from evenpalette.core.limits import factor_in_force
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.temp_folder import temp_folder

#: Jobs that are handed over for each worker: enough that each finds a project of its own.
_AHEAD = 8


def deliver_all(
    assets: Sequence[Asset], wish: Wish, executor: Executor, *, again: bool = False, progress: Progress = no_progress,
    reported: Callable[[AssetReport], None] = lambda _: None,
) -> list[AssetReport]:  # fmt: skip
    """Deliver projects; returns what became of each, in their order. One that fails does not stop the others.

    again: make everything, also what is unchanged. progress: may raise Cancelled; what was made until then is kept for
    the next time. reported: is told of each project when it is done. Raises EvenPaletteError where two would go into
    one folder.
    """
    seen: dict[Path, str] = {}
    for asset in assets:
        place = asset.out.absolute()
        if place in seen:
            raise EvenPaletteError(f"{seen[place]} and {asset.name} would both be delivered to {asset.out}.")
        seen[place] = asset.name
    with temp_folder("batch") as place:
        deliveries = [Delivery(asset, wish, again=again) for asset in assets]
        return Batch(deliveries, wish, executor, place, progress=progress, reported=reported).run()


class Batch:
    """Deliveries on their way: keeps the executor busy, with the parts of the first ones first."""

    def __init__(
        self, deliveries: Sequence[Delivery], wish: Wish, executor: Executor, scratch: Path, *,
        progress: Progress = no_progress, reported: Callable[[AssetReport], None] = lambda _: None,
    ) -> None:  # fmt: skip
        """scratch: a folder for packed projects. The others as `deliver_all` has them."""
        self._wish, self._executor, self._scratch = wish, executor, scratch
        self._progress, self._reported = progress, reported
        self._deliveries = deliveries
        self._numbers = {id(delivery): number for number, delivery in enumerate(deliveries)}
        #: How far each is, and all of them together.
        self._shares = [0.0] * len(deliveries)
        self._whole = 0.0
        self._done: SimpleQueue[tuple[Delivery, Part, Future[Made]]] = SimpleQueue()
        self._ready: list[tuple[int, int, Delivery, Part]] = []
        self._count = self._under_way = 0

    def run(self) -> list[AssetReport]:
        """Until all are done; what became of each."""
        ahead, next_one = _AHEAD * self._executor.width + 2, 0
        while True:
            while len(self._ready) < ahead and next_one < len(self._deliveries):
                self._begin(next_one)
                self._say(next_one)
                next_one += 1
            while self._ready and self._under_way < ahead:
                _, _, delivery, part = heapq.heappop(self._ready)
                if delivery.report.status != FAILED:
                    self._submit(delivery, part)
            if self._under_way:
                delivery, part, future = self._done.get()
                self._under_way -= 1
                self._take(delivery, part, future)
                self._say(self._numbers[id(delivery)])
            elif not self._ready and next_one >= len(self._deliveries):
                for delivery in self._deliveries:
                    delivery.let_go()
                return [delivery.report for delivery in self._deliveries]

    def _say(self, number: int) -> None:
        share = self._deliveries[number].share
        self._whole += share - self._shares[number]
        self._shares[number] = share
        self._progress(min(1.0, self._whole / max(1, len(self._deliveries))))

    def _begin(self, number: int) -> None:
        delivery = self._deliveries[number]
        try:
            parts = delivery.begin(self._scratch / f"{number}.project")
        except (EvenPaletteError, OSError) as error:
            self._fail(delivery, error)
            return
        if parts:
            self._add(delivery, parts)
        else:
            self._report(delivery)

    def _add(self, delivery: Delivery, parts: Sequence[Part]) -> None:
        number = self._numbers[id(delivery)]
        for part in parts:
            self._count += 1
            heapq.heappush(self._ready, (number, self._count, delivery, part))

    def _submit(self, delivery: Delivery, part: Part) -> None:
        self._under_way += 1
        job = Job(delivery.key, str(delivery.blob), self._wish.as_data(), part.as_data(), limits=factor_in_force())
        future = self._executor.submit(job)
        future.add_done_callback(lambda f: self._done.put((delivery, part, f)))

    def _take(self, delivery: Delivery, part: Part, future: Future[Made]) -> None:
        try:
            parts = delivery.take(part, future.result())
        except Cancelled:
            raise
        except (EvenPaletteError, OSError) as error:
            self._fail(delivery, error)
            return
        self._add(delivery, parts)
        if delivery.is_whole and delivery.report.status != FAILED:
            try:
                delivery.finish()
            except (EvenPaletteError, OSError, ValueError) as error:
                self._fail(delivery, error)
                return
            self._report(delivery)

    def _fail(self, delivery: Delivery, error: Exception) -> None:
        if delivery.report.status == FAILED:
            return
        why = reason(error) if isinstance(error, OSError) else str(error)
        delivery.report.status, delivery.report.error = FAILED, why
        self._report(delivery)

    def _report(self, delivery: Delivery) -> None:
        delivery.end()
        self._reported(delivery.report)
