"""What every operation on a coverage must keep, as tests that anybody can run on one of their own."""

from collections.abc import Iterator

import numpy as np

from evenpalette.core.regions.operation_kind import Around, OperationKind, Plane

_SIZE = 48


def _around() -> Around:
    source = np.random.default_rng(5)

    def plane(_: str) -> Plane:
        return source.random((_SIZE, _SIZE)).astype(np.float32)

    return Around((_SIZE, _SIZE), None, plane, plane)


def proofs_of_operation(kind: OperationKind) -> Iterator[tuple[str, str]]:
    """What was looked at, and what is not so, '' where all is well. An operation that needs a mesh says so itself, as
    there is none."""
    missing = [word for word in ("label", "summary") if not getattr(kind, word).strip()]
    yield "it has words", f"it has no {', no '.join(missing)}" if missing else ""
    before = np.random.default_rng(3).random((_SIZE, _SIZE)).astype(np.float32)
    for setting in kind.settings:
        ends = (setting.low, setting.high) if setting.is_number else (setting.default,)
        for end in ends:
            yield (
                f"{setting.key} at {end}: a plane of 0 to 1, the same each time",
                _run(kind, {setting.key: end}, before),
            )
    if not kind.settings:
        yield "a plane of 0 to 1, the same each time", _run(kind, {}, before)


def _run(kind: OperationKind, settings: dict[str, object], before: Plane) -> str:
    given = before.copy()
    try:
        made = kind.run(given, kind.values(settings), _around())
        again = kind.run(before.copy(), kind.values(settings), _around())
    except Exception as error:
        return f"{type(error).__name__}: {str(error)[:200]}"
    if not np.array_equal(given, before):
        return "it changes the plane that it is given"
    if made.shape != before.shape or made.dtype != np.float32:
        return f"it gives {made.dtype} {made.shape} for float32 {before.shape}"
    if not np.isfinite(made).all() or made.min() < -1e-6 or made.max() > 1 + 1e-6:
        return f"its values run from {made.min():g} to {made.max():g}"
    return "" if np.array_equal(made, again) else "it gives another plane the second time"
