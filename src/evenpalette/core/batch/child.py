"""A process of our own that works for this one: nothing that this one does slows it, and it may die alone."""

import contextlib
import os
import subprocess
import sys

from evenpalette.core.batch.frames import made_from, read_frame, write_frame
from evenpalette.core.batch.parts import Made
from evenpalette.core.batch.work import Job

#: What others set for themselves. With the first, which Dask sets, every large array is memory that is cleared anew.
_NOT_FOR_US = ("MALLOC_TRIM_THRESHOLD_",)


class Child:
    """Begun with the first job; one that died is begun anew. One thread at a time asks it."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None

    @property
    def pid(self) -> int | None:
        """Its number, None while it does not run."""
        process = self._process
        return process.pid if process is not None and process.poll() is None else None

    def ask(self, job: Job) -> Made:
        """Have a job done. Raises EvenPaletteError for what the project is to blame for; OSError, EOFError, ValueError
        where the process died."""
        process = self._process
        if process is None or process.poll() is not None:
            around = {key: value for key, value in os.environ.items() if key not in _NOT_FOR_US}
            process = self._process = subprocess.Popen(
                [sys.executable, "-m", "evenpalette.core.batch.process"], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
                env=around,
            )  # fmt: skip
        assert process.stdin is not None
        assert process.stdout is not None
        write_frame(process.stdin, {"job": vars(job)}, {})
        return made_from(*read_frame(process.stdout))

    def kill(self) -> None:
        """End it, whatever it does."""
        process = self._process
        if process is not None:
            process.kill()

    def end(self) -> None:
        """End it and take its pipes away."""
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.wait()
            for stream in (process.stdin, process.stdout):
                if stream is not None:
                    with contextlib.suppress(OSError):
                        stream.close()
