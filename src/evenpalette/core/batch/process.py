"""A process that works for another one: takes jobs from its standard input, gives what was made to its output."""

import os
import sys
import traceback
from typing import Any

from evenpalette.core.batch.frames import made_said, read_frame, write_frame
from evenpalette.core.batch.work import Job, work
from evenpalette.core.errors import EvenPaletteError


def serve() -> None:
    """Work until nobody asks any more."""
    asks = sys.stdin.buffer
    # What a library prints must not come between the answers.
    answers = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    while True:
        try:
            said, _ = read_frame(asks)
        except EOFError:
            return
        answer: dict[str, Any]
        files: dict[str, bytes] = {}
        try:
            job = Job(**said["job"])
            made = work(job.project, job.blob(), job.wish, job.part, job.threads, job.limits)
            answer, files = made_said(made), made.files
        except EvenPaletteError as error:
            answer = {"error": str(error)}
        except MemoryError:
            answer = {"error": "There is not enough memory for this."}
        except Exception as error:
            traceback.print_exc()
            answer = {"error": f"Something went wrong inside: {type(error).__name__}: {error}"}
        write_frame(answers, answer, files)


if __name__ == "__main__":
    try:
        serve()
    except (BrokenPipeError, KeyboardInterrupt):
        os._exit(0)
