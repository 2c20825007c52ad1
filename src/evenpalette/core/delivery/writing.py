"""Pictures that are encoded and written beside what makes them, a few at a time."""

import threading
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from types import TracebackType

from evenpalette.core.parallel import threads_of_work
from evenpalette.core.raster.image_write import encode_image
from evenpalette.core.raster.raster import Raster

#: Pictures that wait to be written, or are being written, may take so much; one always may.
_MOST_BYTES = 192 << 20


class Writing:
    """Takes pictures while the block lasts; at its end all are on disk, or the first error is raised."""

    def __init__(self, workers: int = 0) -> None:
        """workers: threads, 0 is one for each core."""
        workers = workers or threads_of_work()
        self._pool = ThreadPoolExecutor(workers, "writing")
        # What waits takes memory, so whoever makes more than can be written waits too; large ones wait for all others.
        self._most, self._waiting, self._bytes = workers + 2, 0, 0
        self._room = threading.Condition()
        self._futures: list[Future[None]] = []

    def put(self, path: Path, raster: Raster) -> None:
        """Write a picture as its ending says. Raises what went wrong with an earlier one."""
        size = raster.pixels.nbytes
        with self._room:
            self._room.wait_for(
                lambda: self._waiting < self._most and (not self._waiting or self._bytes + size <= _MOST_BYTES)
            )
            self._waiting += 1
            self._bytes += size
        done = [future for future in self._futures if future.done()]
        self._futures = [future for future in self._futures if not future.done()]
        for future in done:
            future.result()
        self._futures.append(self._pool.submit(self._write, path, raster))

    def _write(self, path: Path, raster: Raster) -> None:
        try:
            path.write_bytes(encode_image(raster, path.suffix))
        finally:
            with self._room:
                self._waiting -= 1
                self._bytes -= raster.pixels.nbytes
                self._room.notify_all()

    def __enter__(self) -> "Writing":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._pool.shutdown(wait=True, cancel_futures=kind is not None)
        if kind is None:
            for future in self._futures:
                future.result()
