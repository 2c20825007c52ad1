"""Timing that pairs what is measured with what it is measured against, so that a slow moment hits both."""

import statistics
import time
from collections.abc import Callable

from benchmarks.history import note


def once(work: Callable[[], object]) -> float:
    """Seconds for one call."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def ratio(
    label: str, ours: Callable[[], object], reference: Callable[[], object], limit: float | None = None, runs: int = 9
) -> float:
    """Print the median of the ratios of alternating runs, beside the wanted limit where there is one; returns it."""
    ours()
    reference()
    pairs = [(once(ours), once(reference)) for _ in range(runs)]
    median = statistics.median(a / b for a, b in pairs)
    mine = statistics.median(a for a, _ in pairs) * 1000
    other = statistics.median(b for _, b in pairs) * 1000
    judged = "" if limit is None else f", {'within' if median <= limit else 'ABOVE'} the wanted {limit:g}"
    print(f"{label}: {median:.2f} times the reference ({mine:.0f} ms against {other:.0f} ms){judged}")
    note(label, median)
    return median


def spread(label: str, seconds: list[float]) -> None:
    """Print median and 95th percentile in milliseconds."""
    ordered = sorted(seconds)
    p95 = ordered[min(len(ordered) - 1, round(len(ordered) * 0.95))]
    print(
        f"{label}: median {statistics.median(ordered) * 1000:.0f} ms, 95th percentile {p95 * 1000:.0f} ms over {len(ordered)}"
    )


def speedup(label: str, work: Callable[[int], object], wanted: float = 1.7, runs: int = 5) -> None:
    """Print how many times faster two threads are than one; `work` takes the number of threads."""
    work(1)
    work(2)
    pairs = [(once(lambda: work(1)), once(lambda: work(2))) for _ in range(runs)]
    median = statistics.median(one / two for one, two in pairs)
    print(
        f"{label}: {median:.2f} times as fast as one, {'within' if median >= wanted else 'BELOW'} the wanted {wanted:g}"
    )
    note(label, 1 / median)
