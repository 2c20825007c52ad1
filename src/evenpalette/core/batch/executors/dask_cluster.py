"""On a cluster of Dask: workers need the package and nothing else, no folder that they share.

A project travels once as a packed blob, named by its content; results come back as bytes. No code travels: what runs is
named, and installed there.
"""

import contextlib
import threading
import warnings
from collections import OrderedDict
from concurrent.futures import Future
from functools import cache
from importlib.util import find_spec
from pathlib import Path
from threading import Lock
from typing import Any

from evenpalette import __version__
from evenpalette.core.batch.child import Child
from evenpalette.core.batch.executor import RETRIES, Executor, ExecutorKind
from evenpalette.core.batch.parts import Made
from evenpalette.core.batch.work import Job, version
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import write_atomically
from evenpalette.core.temp_folder import temp_folder_of_process

_CONNECT_SECONDS = 15
#: Blobs that are kept on the cluster for parts to come.
_KEPT = 16
#: How a worker may say what memory it has to give, so that no more is asked of it at once.
_MEMORY = "MEMORY"


class _There(threading.local):
    """What each thread of a worker has: a process of its own, so that neither Dask's loop nor another thread slows
    it."""

    def __init__(self) -> None:
        self.child = Child()


_there = _There()


@cache
def _blobs_folder() -> Path:
    """Where a worker lays packed projects for its processes; it goes with the worker."""
    return temp_folder_of_process("worker")


def _laid(project: str, blob: bytes) -> Path:
    """The file of a packed project, and no more than a few of others."""
    path = _blobs_folder() / f"{project}.project"
    if not path.exists():
        held = sorted(_blobs_folder().glob("*.project"), key=lambda p: p.stat().st_mtime)
        for old in held[: max(0, len(held) - _KEPT)]:
            old.unlink(missing_ok=True)
        write_atomically(path, blob)
    return path


def run_there(project: str, blob: bytes, wish: dict[str, Any], part: dict[str, Any], limits: float) -> Made | str:
    """On a worker: make a part with one thread, as each thread of a worker does a part of its own. What the project is
    to blame for comes back as its sentence."""
    from distributed import get_worker

    try:
        made = _there.child.ask(Job(project, str(_laid(project, blob)), wish, part, 1, limits))
    except EvenPaletteError as error:
        return str(error)
    except (OSError, ValueError, EOFError):
        # Dask gives it to another worker.
        _there.child.end()
        raise
    made.where = str(get_worker().address)
    return made


class Cluster:
    """A client of a cluster."""

    def __init__(self, address: str) -> None:
        from distributed import Client

        try:
            self._client = Client(address, timeout=_CONNECT_SECONDS, set_as_default=False)
        except (OSError, TimeoutError, ValueError) as error:
            raise EvenPaletteError(f"There is no Dask scheduler at {address[:120]}: {error}.") from error
        try:
            # One that was just begun may be on its way.
            self._client.wait_for_workers(1, timeout=_CONNECT_SECONDS)
            workers = self._client.scheduler_info(n_workers=-1)["workers"]
            self._check_versions()
        except TimeoutError as error:
            self._client.close()
            raise EvenPaletteError(f"The cluster at {address[:120]} has no workers.") from error
        except BaseException:
            self._client.close()
            raise
        self.width = max(1, sum(int(said.get("nthreads", 1)) for said in workers.values()))
        self._says_memory = all(_MEMORY in (said.get("resources") or {}) for said in workers.values())
        self.notes = [f"the cluster's dashboard: {self._client.dashboard_link}"]
        self._blobs: OrderedDict[str, Any] = OrderedDict()
        self._lock = Lock()
        self._closed = False

    def _check_versions(self) -> None:
        """Refuse workers that have another version, or none."""
        try:
            found = self._client.run(version)
        except Exception as error:
            raise EvenPaletteError(f"The cluster's workers have no Even Palette {__version__}: {error}.") from error
        other = {where: said for where, said in found.items() if said != __version__}
        if other:
            where, said = next(iter(other.items()))
            raise EvenPaletteError(
                f"The worker {where} has Even Palette {said}, this is {__version__}. Results would differ: install one version."
            )

    def submit(self, job: Job) -> "Future[Made]":
        """Begin a job."""
        future: Future[Made] = Future()
        future.set_running_or_notify_cancel()
        self._send(job, future, 0)
        return future

    def _send(self, job: Job, future: "Future[Made]", tries: int) -> None:
        try:
            with self._lock, warnings.catch_warnings():
                warnings.simplefilter("ignore")
                blob = self._blobs.get(job.project)
                if blob is None or tries:
                    blob = self._blobs[job.project] = self._client.scatter(job.blob(), broadcast=tries > 0)
                self._blobs.move_to_end(job.project)
                while len(self._blobs) > _KEPT:
                    self._blobs.popitem(last=False)
                wanted = {_MEMORY: float(job.part.get("memory", 0))} if self._says_memory else None
                sent = self._client.submit(
                    run_there,
                    job.project,
                    blob,
                    job.wish,
                    job.part,
                    job.limits,
                    pure=False,
                    retries=RETRIES,
                    resources=wanted,
                )
        except Exception as error:
            future.set_exception(EvenPaletteError(f"The cluster took no job: {error}."))
            return

        def done(sent: Any) -> None:
            try:
                made = sent.result()
            except BaseException as error:
                if self._closed or tries + 1 >= RETRIES:
                    future.set_exception(
                        EvenPaletteError(f"The cluster did not make it ({type(error).__name__}: {str(error)[:200]}).")
                    )
                else:
                    # The worker that held the project is gone: it is sent anew.
                    self._send(job, future, tries + 1)
                return
            with contextlib.suppress(Exception):
                sent.release()
            if isinstance(made, str):
                future.set_exception(EvenPaletteError(made))
            else:
                future.set_result(made)

        sent.add_done_callback(done)

    def close(self) -> None:
        """Let everything go."""
        self._closed = True
        self._blobs.clear()
        with contextlib.suppress(Exception):
            self._client.close(timeout=5)


def _begin(rest: str) -> Executor:
    if find_spec("distributed") is None:
        raise EvenPaletteError("Dask is not installed: pip install 'evenpalette[cluster]'.")
    if not rest:
        raise EvenPaletteError("dask:ADDRESS is the address of a scheduler, like dask:tcp://10.0.0.4:8786.")
    return Cluster(rest)


EXECUTOR = ExecutorKind("dask", 20, "dask:ADDRESS", _begin)
