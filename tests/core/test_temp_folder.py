"""Folders for what is in between do not outlive their process for long, and never go while it lives."""

import os
import subprocess
import sys
from pathlib import Path

from evenpalette.core.temp_folder import MARK

_TAKES = """
import sys
from evenpalette.core.temp_folder import temp_folder, temp_folder_of_process
folder = temp_folder_of_process("worker")
with temp_folder("batch") as place:
    print(folder, place, flush=True)
    sys.stdin.read()
"""


def begun(there: Path) -> tuple[subprocess.Popen, list[Path]]:
    """A process that has two folders, and they."""
    process = subprocess.Popen(
        [sys.executable, "-c", _TAKES], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
        env=os.environ | {"TMPDIR": str(there)},
    )  # fmt: skip
    assert process.stdout is not None
    return process, [Path(word) for word in process.stdout.readline().split()]


def test_what_a_killed_process_leaves_is_cleared_away_by_the_next(tmp_path: Path) -> None:
    killed, left = begun(tmp_path)
    living, kept = begun(tmp_path)
    killed.kill()
    killed.wait()
    (left[0] / "a.project").write_bytes(b"packed")
    foreign = tmp_path / "evenpalette-notes-of-mine"
    foreign.write_text("no folder")
    own_work = tmp_path / "evenpalette-batch-of-mine"
    own_work.mkdir()
    (own_work / "base_color.png").write_bytes(b"delivered")
    for path in (*left, *kept, foreign, own_work):
        # An hour ago: what is new may be about to be taken.
        os.utime(path, (path.stat().st_mtime - 3600,) * 2)
    young = tmp_path / "evenpalette-batch-young"
    young.mkdir()
    (young / MARK).touch()
    last, own = begun(tmp_path)
    assert [path.exists() for path in (*left, *kept, foreign, young, *own)] == [False] * 2 + [True] * 6
    assert (own_work / "base_color.png").exists(), "a folder of somebody's own, whatever it is called"
    for process in (living, last):
        process.communicate("")
    assert [path.exists() for path in (*kept, *own)] == [False] * 4
