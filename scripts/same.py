"""Whether two checkouts make the same: `python -m scripts.same REV` holds the work tree against an earlier commit.

What a commit made is kept in build/outcome, so each is asked once. `--window` compares pictures of the main views too.
"""

import argparse
import os
import re
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np

from evenpalette.core.raster.image_read import read_image

ROOT = Path(__file__).parents[1]
KEPT = ROOT / "build" / "outcome"
#: Hashes of contents, in names and in texts.
_HASH = re.compile(r"\b[0-9a-f]{64}\b|(?<=\.)[0-9a-f]{12}(?=\.)")


def made_by(checkout: Path, out: Path, window: bool) -> None:
    """Let a checkout write all it makes, with its own code."""
    around = {**os.environ, "PYTHONPATH": f"{checkout / 'src'}:{checkout}"}
    (out / "files").mkdir(parents=True, exist_ok=True)
    subprocess.run([sys.executable, "-m", "scripts.outcome", str(out / "files")], cwd=checkout, env=around, check=True)
    if window:
        subprocess.run(
            [sys.executable, "-m", "scripts.screenshots", str(out / "window")], cwd=checkout, env=around, check=True
        )


def of_commit(rev: str, window: bool) -> Path:
    """What a commit makes, from build/outcome where it was asked before."""
    sha = subprocess.run(["git", "rev-parse", rev], cwd=ROOT, capture_output=True, text=True, check=True).stdout.strip()
    out = KEPT / sha
    if not (out / "files").exists() or (window and not (out / "window").exists()):
        with tempfile.TemporaryDirectory() as folder:
            tree = Path(folder) / "tree"
            subprocess.run(["git", "worktree", "add", "-q", "--detach", str(tree), sha], cwd=ROOT, check=True)
            try:
                made_by(tree, out, window)
            finally:
                subprocess.run(["git", "worktree", "remove", "--force", str(tree)], cwd=ROOT, check=True)
    return out


def differences(before: Path, after: Path) -> list[str]:
    """A line for each file that does not say the same; of pictures it says by how many codes."""
    ours, theirs = _named(before), _named(after)
    found, recoded = [], 0
    for name in sorted(ours.keys() | theirs.keys()):
        if name not in ours or name not in theirs:
            found.append(f"{name}: only {'after' if name in theirs else 'before'}")
            continue
        one, other = ours[name], theirs[name]
        if one.read_bytes() == other.read_bytes():
            continue
        said = _apart(one, other) if one.suffix == ".png" else "" if _words(one) == _words(other) else "other words"
        recoded += not said
        found += [f"{name}: {said}"] if said else []
    return [*found, *([f"{recoded} files say the same in other bytes"] if recoded else [])]


def _named(folder: Path) -> dict[str, Path]:
    """Files by their names without what names them by their content."""
    files = (path for path in folder.rglob("*") if path.is_file())
    return {_HASH.sub("HASH", str(path.relative_to(folder))): path for path in files}


def _words(path: Path) -> str:
    """A text without hashes of contents."""
    return _HASH.sub("HASH", path.read_text(errors="replace"))


def _apart(one: Path, other: Path) -> str:
    """How two pictures differ, '' where their pixels are the same."""
    a, b = read_image(one).pixels, read_image(other).pixels
    if a.shape != b.shape or a.dtype != b.dtype:
        return f"{a.shape} {a.dtype} against {b.shape} {b.dtype}"
    apart = np.abs(a.astype(np.float64) - b.astype(np.float64))
    return f"up to {apart.max():.0f} codes on {(apart > 0).mean():.3%}" if apart.any() else ""


def main() -> int:
    """0 where all is the same, 1 with a list where not."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("rev")
    parser.add_argument("--window", action="store_true")
    asked = parser.parse_args()
    before = of_commit(asked.rev, asked.window)
    with tempfile.TemporaryDirectory() as folder:
        made_by(ROOT, Path(folder), asked.window)
        found = differences(before / "files", Path(folder) / "files")
        if asked.window:
            found += differences(before / "window", Path(folder) / "window")
    print("\n".join(found) if found else f"the same as {asked.rev}")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
