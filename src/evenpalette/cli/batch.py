"""The verbs deliver and watch: many projects at once."""

import argparse
import contextlib
import json
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import asdict
from pathlib import Path
from typing import Any

from evenpalette.cli.arguments import Verb, size
from evenpalette.cli.named import named_projects
from evenpalette.cli.projects import maps_named
from evenpalette.cli.saying import bar_of, note, write_report
from evenpalette.core.batch.deliver import deliver_all
from evenpalette.core.batch.delivery import FAILED, UNCHANGED, Asset, AssetReport
from evenpalette.core.batch.executor import Executor
from evenpalette.core.batch.executors import executor_named
from evenpalette.core.batch.wish import Wish
from evenpalette.core.delivery.layouts.named import layout_named
from evenpalette.core.delivery.targets import TARGETS
from evenpalette.core.errors import EvenPaletteError, one_line
from evenpalette.core.findings.rules import Rules, Severity, read_rules
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR
from evenpalette.core.storage.description import PROJECT_FILE

REPORT_FORMAT, REPORT_VERSION = "even-palette-batch-report", 1
#: Between two looks at what has changed, and how long nothing must change before it is delivered, in seconds.
_LOOK, _CALM = 0.5, 1.0


def add_verbs(verb: Verb) -> None:
    for name, run, words in (
        ("deliver", _deliver, "deliver projects and collections; what is unchanged is not made again"),
        ("watch", _watch, "deliver whenever projects or collections are saved, until it is stopped"),
    ):
        made = verb(name, run, words)
        made.add_argument("project", type=Path, nargs="+", metavar="PROJECT|COLLECTION")
        made.add_argument("--out", type=Path, required=True, help="folder; each project gets one of its own there")
        made.add_argument(
            "--layout", metavar="FILE", help="write the files that this layout says; a file, or the name of one"
        )
        made.add_argument("--target", action="append", default=[], choices=tuple(TARGETS), help="a form of delivery")
        made.add_argument("--variant", action="append", help="name of a variant; may be given several times")
        made.add_argument("--size", type=size, default=0, help="longest side in texels; the sources' own if left out")
        made.add_argument("--kit-size", type=size, default=0, help="longest side of the kit's textures")
        made.add_argument(
            "--maps",
            type=maps_named,
            default=(BASE_COLOR,),
            help=f"attributes with commas between: {', '.join(ATTRIBUTES)}",
        )
        made.add_argument(
            "--executor", metavar="local:N|dask:ADDRESS",
            help="N processes with a thread each, or a cluster; one after the other with all threads if left out",
        )  # fmt: skip
        made.add_argument("--all", action="store_true", help="make everything, also what is unchanged")
        made.add_argument("--rules", type=Path, metavar="FILE", help="which findings are errors")
        made.add_argument("--report", type=Path, metavar="FILE", help="what became of each project, as JSON")
        if name == "watch":
            made.add_argument("--once", action="store_true", help="stop after the first change was delivered")


def _wish(options: argparse.Namespace) -> Wish:
    layout = layout_named(None, options.layout) if options.layout is not None else None
    variants = tuple(options.variant) if options.variant else None
    return Wish.of(
        targets=tuple(options.target), layout=layout, maps=options.maps, size=options.size, kit_size=options.kit_size,
        variants=variants,
    )  # fmt: skip


@contextlib.contextmanager
def _begun(options: argparse.Namespace) -> Iterator[Callable[[], int]]:
    """What delivers once all that is named, each time it is called; what runs the jobs is let go at the end."""
    rules = read_rules(options.rules) if options.rules is not None else Rules()
    wish, executor = _wish(options), executor_named(options.executor)
    try:
        for words in executor.notes:
            note(words)
        yield lambda: _once(options, wish, executor, rules)
    finally:
        executor.close()


def _deliver(options: argparse.Namespace) -> int:
    with _begun(options) as deliver_once:
        return deliver_once()


def _once(options: argparse.Namespace, wish: Wish, executor: Executor, rules: Rules) -> int:
    named = named_projects(options.project)
    began = time.perf_counter()
    progress, bar = bar_of("delivering")
    assets = [Asset(one.name, one.folder, options.out / one.name, one.error) for one in named]

    def said(report: AssetReport) -> None:
        if report.status == FAILED:
            bar.write(f"evenpalette: {report.name}: {one_line(report.error)}", file=sys.stderr)
        for words in report.notes:
            bar.write(f"evenpalette: {report.name}: {one_line(words)}", file=sys.stderr)

    with bar:
        reports = deliver_all(assets, wish, executor, again=options.all, progress=progress, reported=said)
    seconds = time.perf_counter() - began
    failed = [report for report in reports if report.status == FAILED]
    errors = sum(rules.of(str(f.get("code"))) is Severity.ERROR for r in reports for f in r.findings)
    if options.report is not None:
        _write_report(options.report, reports, rules, seconds, options.executor)
    made = sum(part.made for report in reports for part in report.parts)
    unchanged = sum(report.status == UNCHANGED for report in reports)
    words = f"{len(reports)} projects, {sum(r.written for r in reports)} new files, {made} parts made, {unchanged} projects unchanged"
    print(f"{words}, {len(failed)} failed, {errors} findings are errors, {seconds:.1f} s")
    return 1 if failed or errors else 0


def _write_report(path: Path, reports: list[AssetReport], rules: Rules, seconds: float, executor: str | None) -> None:
    rows: list[dict[str, Any]] = []
    for report in reports:
        row = asdict(report)
        for finding in row["findings"]:
            finding["severity"] = rules.of(str(finding.get("code"))).value
        rows.append(row)
    said = {
        "format": REPORT_FORMAT, "version": REPORT_VERSION, "seconds": round(seconds, 3), "executor": executor or "here",
        "projects": rows,
    }  # fmt: skip
    write_report(path, json.dumps(said, indent=1, ensure_ascii=False))


def _marks(places: list[Path]) -> dict[str, tuple[int, int]]:
    """What is looked at, and when it was written."""
    found: dict[str, tuple[int, int]] = {}
    paths = [place for place in places if place.is_file()]
    # A collection that is being written is looked at again.
    with contextlib.suppress(EvenPaletteError):
        paths += [one.folder / PROJECT_FILE for one in named_projects(places)]
    for path in paths:
        try:
            said = path.stat()
        except OSError:
            continue
        found[str(path)] = (said.st_mtime_ns, said.st_size)
    return found


def _watch(options: argparse.Namespace) -> int:
    code = 0
    with _begun(options) as deliver_once, contextlib.suppress(KeyboardInterrupt):
        code = deliver_once()
        sys.stdout.flush()
        seen = delivered = _marks(options.project)
        since = time.monotonic()
        while True:
            time.sleep(_LOOK)
            now = _marks(options.project)
            if now != seen:
                seen, since = now, time.monotonic()
            elif seen != delivered and time.monotonic() - since >= _CALM:
                delivered = seen
                try:
                    code = deliver_once()
                except EvenPaletteError as error:
                    note(str(error))
                sys.stdout.flush()
                if options.once:
                    return code
    return code
