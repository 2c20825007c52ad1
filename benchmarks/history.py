"""What benchmarks measured over time: ratios only, a file for each day and kind of machine.

Every ratio goes to `benchmarks/history/<version>-<date>-<kind>.json` when it is measured: a run that is stopped keeps
what it had. At the end of `make bench` what got slower by more than a tenth since the newest file of another version on
the same kind of machine is named.
"""

import json
import os
import platform
from datetime import UTC, datetime
from pathlib import Path

from evenpalette import __version__

FOLDER = Path(__file__).parent / "history"
#: How much slower counts: machines are shared and noisy.
_SLOWER = 1.1


def kind() -> str:
    """What kind of machine this is, in words that name none: cores, architecture, whether it draws by software."""
    drawn = "software" if os.environ.get("LIBGL_ALWAYS_SOFTWARE") else "hardware"
    return f"{os.cpu_count()}-{platform.machine()}-{drawn}"


def _today() -> tuple[Path, str]:
    date = datetime.now(UTC).strftime("%Y-%m-%d")
    return FOLDER / f"{__version__}-{date}-{kind()}.json", date


def measured() -> dict[str, float]:
    """The ratios of this version and day, by their labels; larger is slower."""
    file, _ = _today()
    return dict(json.loads(file.read_text())["ratios"]) if file.exists() else {}


def note(label: str, ratio: float) -> None:
    """Keep a ratio."""
    file, date = _today()
    ratios = measured() | {label.strip(): round(ratio, 4)}
    FOLDER.mkdir(exist_ok=True)
    held = {"version": __version__, "date": date, "kind": kind(), "ratios": dict(sorted(ratios.items()))}
    begun = file.with_suffix(".part")
    begun.write_text(json.dumps(held, indent=1) + "\n")
    begun.replace(file)


def slower(now: dict[str, float], before: dict[str, float]) -> list[str]:
    """A line for each ratio that grew by more than a tenth, the worst first."""
    grown = [(now[label] / before[label], label) for label in now.keys() & before.keys() if before[label] > 0]
    return [
        f"SLOWER by {(by - 1) * 100:.0f}%: {label} ({before[label]:g} before, {now[label]:g} now)"
        for by, label in sorted(grown, reverse=True)
        if by > _SLOWER
    ]


def last() -> tuple[str, dict[str, float]]:
    """The newest file of another version on this kind of machine: its name and its ratios."""
    found = []
    for path in FOLDER.glob("*.json"):
        held = json.loads(path.read_text())
        if held["kind"] == kind() and held["version"] != __version__:
            # On one day 0.10 came after 0.9.
            numbers = tuple(int(part) for part in held["version"].split(".") if part.isdigit())
            found.append((held["date"], numbers, path.stem, held["ratios"]))
    return max(found)[2:] if found else ("", {})


def finish() -> None:
    """Say what got slower."""
    name, before = last()
    if not name:
        print("There are no figures of an earlier version on this kind of machine to hold these against.")
        return
    print(f"Held against {name}:")
    print("\n".join(slower(measured(), before)) or "nothing got slower by more than a tenth")
