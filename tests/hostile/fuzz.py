"""`make fuzz`: spoiled files of every format, read in processes of limited memory, and a table of how it went.

python -m tests.hostile.fuzz [FILES] [FIRST]
"""

import json
import os
import queue
import resource
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter, defaultdict
from pathlib import Path

from evenpalette.core.errors import EvenPaletteError
from tests.hostile.files import Cases
from tests.hostile.read import READERS

SECONDS, MOST_BYTES = 5.0, 2 << 30
OUTCOMES = ("read", "typed", "untyped", "crash", "hang", "over memory")


def worker(first: int, stop: int, stride: int) -> None:
    """Read cases and say for each how it went, one JSON line each, before and after."""
    # Libraries may write to standard output as they like.
    with tempfile.TemporaryDirectory() as folder, os.fdopen(os.dup(1), "w") as out:
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        cases = Cases(Path(folder), READERS)
        # Everything is loaded and compiled before memory is capped.
        READERS["project"](b"", str(cases.folder))
        size = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
        resource.setrlimit(resource.RLIMIT_AS, (size + MOST_BYTES, size + MOST_BYTES))
        for number in range(first, stop, stride):
            print(json.dumps({"begin": number, "kind": cases.format(number)}), file=out, flush=True)
            outcome, text = "read", ""
            try:
                cases.run(number)
            except EvenPaletteError:
                outcome = "typed"
            except MemoryError:
                outcome = "over memory"
            except BaseException as error:
                outcome, text = "untyped", repr(error)[:160]
            print(json.dumps({"number": number, "outcome": outcome, "text": text}), file=out, flush=True)


def watch(first: int, stop: int, stride: int, found: list[dict]) -> None:
    """Run a worker to its end, and a new one from the case after one that ended or held it."""
    while first < stop:
        command = [sys.executable, "-m", "tests.hostile.fuzz", "--worker", str(first), str(stop), str(stride)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True) as process:
            lines: queue.Queue[str | None] = queue.Queue()
            threading.Thread(target=_pump, args=(process.stdout, lines), daemon=True).start()
            running, patience, kind = first, 120.0, ""
            while True:
                try:
                    line = lines.get(timeout=patience)
                except queue.Empty:
                    process.kill()
                    found.append({"number": running, "kind": kind, "outcome": "hang", "text": ""})
                    break
                if line is None:
                    if not kind:
                        found.append({"number": first, "kind": "?", "outcome": "crash", "text": "no worker starts"})
                        return
                    if running < stop and process.wait() != 0:
                        found.append(
                            {"number": running, "kind": kind, "outcome": "crash", "text": str(process.returncode)}
                        )
                    else:
                        running = stop
                    break
                said = json.loads(line)
                if "begin" in said:
                    running, patience, kind = said["begin"], SECONDS, said["kind"]
                else:
                    found.append({**said, "kind": kind})
                    running += stride
            first = running + stride if running < stop else stop


def _pump(stream, lines: queue.Queue) -> None:
    for line in stream:
        lines.put(line)
    lines.put(None)


def run(count: int, first: int = 1, processes: int = 2) -> int:
    """Read `count` cases from `first` on; prints the table and returns how many did not end soundly."""
    found: list[dict] = []
    began = time.monotonic()
    threads = [
        threading.Thread(target=watch, args=(first + i, first + count, processes, found)) for i in range(processes)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    table: dict[str, Counter] = defaultdict(Counter)
    for case in found:
        table[case["kind"]][case["outcome"]] += 1
    print(f"{'format':<18}" + "".join(f"{name:>13}" for name in OUTCOMES))
    for kind in sorted(table):
        print(f"{kind:<18}" + "".join(f"{table[kind][name]:>13}" for name in OUTCOMES))
    total = Counter(case["outcome"] for case in found)
    print(f"{'all ' + str(len(found)):<18}" + "".join(f"{total[name]:>13}" for name in OUTCOMES))
    print(f"{time.monotonic() - began:.0f} s; case N again: python -m tests.hostile.fuzz 1 N")
    for case in found:
        if case["outcome"] not in ("read", "typed"):
            print(case)
    return sum(1 for case in found if case["outcome"] not in ("read", "typed"))


if __name__ == "__main__":
    words = sys.argv[1:]
    if words[:1] == ["--worker"]:
        worker(*map(int, words[1:4]))
    else:
        sys.exit(1 if run(int(words[0]) if words else 10_000, int(words[1]) if len(words) > 1 else 1) else 0)
