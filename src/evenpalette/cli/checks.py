"""The verbs check and check-step."""

import argparse
import hashlib
import json
from collections.abc import Iterable
from pathlib import Path

from evenpalette.cli.arguments import Verb
from evenpalette.cli.named import Named, named_projects
from evenpalette.cli.saying import bar_of, note, write_report
from evenpalette.core.collection.model import is_collection
from evenpalette.core.consent import inside
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.files import read_regular, reason
from evenpalette.core.findings.findings import find_all
from evenpalette.core.findings.reports import Checked, as_data, as_junit, as_sarif, counted
from evenpalette.core.findings.rules import Rules, Severity, read_rules
from evenpalette.core.recipe.own_kinds import SENTENCE, take_file, trust, trusted_words
from evenpalette.core.recipe.proof import proofs_of
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.regions.operations import OPERATIONS
from evenpalette.core.regions.proof import proofs_of_operation
from evenpalette.core.storage.description import PROJECT_FILE, project_folder
from evenpalette.core.storage.storage import Storage

_FORMATS = ("text", "json", "sarif", "junit")
_MOST_STEP_BYTES = 1 << 20


def add_verbs(verb: Verb) -> None:
    check = verb("check", _check, "list the findings of projects and collections")
    check.add_argument("project", type=Path, nargs="+", metavar="PROJECT|COLLECTION")
    check.add_argument("--json", action="store_true", help="the same as --format json")
    check.add_argument("--format", choices=_FORMATS, default="text", help="sarif and junit are for build servers")
    check.add_argument("--rules", type=Path, metavar="FILE", help="which findings are errors; without, each is one")
    check.add_argument("--out", type=Path, metavar="FILE", help="write the report there")
    step = verb("check-step", _check_step, "test a kind of step of one's own as ours are tested")
    step.add_argument("file", type=Path)
    step.add_argument("--trust", action="store_true", help="remember that this file, as it is now, may be run")


def _check(options: argparse.Namespace) -> int:
    form = "json" if options.json else options.format
    alone = len(options.project) == 1 and not is_collection(options.project[0]) and options.rules is None
    rules = read_rules(options.rules) if options.rules is not None else Rules()
    if alone and form in ("text", "json"):
        return _check_one(options.project[0], as_json=form == "json", out=options.out)
    progress, bar = bar_of("checking")
    checked = []
    with bar:
        named = named_projects(options.project)
        for number, one in enumerate(named):
            progress(number / len(named))
            checked.append(_looked_at(one))
    if form == "text":
        lines = [
            f"{one.name}: {rules.of(f.code).value}: {f.station}: {f.text}"
            for one in checked for f in one.findings if rules.of(f.code) is not Severity.OFF
        ]  # fmt: skip
        _say("\n".join([*lines, *(f"{one.name}: error: {one.error}" for one in checked if one.error)]), options.out)
    elif form == "junit":
        _say(as_junit(checked, rules).rstrip(), options.out)
    else:
        _say(json.dumps((as_sarif if form == "sarif" else as_data)(checked, rules), indent=2), options.out)
    if options.rules is not None:
        return 1 if counted(checked, rules, Severity.ERROR) else 0
    return 1 if any(one.error or one.findings for one in checked) else 0


def _looked_at(named: Named) -> Checked:
    path = (named.folder / PROJECT_FILE).as_posix()
    if named.error:
        return Checked(named.name, path, error=named.error)
    try:
        return Checked(named.name, path, tuple(find_all(Storage(named.folder).open(), may_read=_may_read(named))))
    except EvenPaletteError as error:
        return Checked(named.name, path, error=str(error))


def _may_read(named: Named):  # type: ignore[no-untyped-def]
    """What lies in the project, and the collection that was named."""
    own = inside(named.folder)
    collection = str(named.collection.absolute()) if named.collection is not None else ""
    return lambda path: own(path) or (bool(collection) and path == collection)


def _check_one(project: Path, *, as_json: bool, out: Path | None) -> int:
    folder = project_folder(project)
    findings = find_all(Storage(folder).open(), may_read=inside(folder))
    if as_json:
        rows = [
            {"code": f.code, "station": f.station, "text": f.text, "region": f.region, "place": f.place}
            for f in findings
        ]
        _say(json.dumps({"findings": rows}, indent=2), out)
    else:
        _say("\n".join(f"{finding.station}: {finding.text}" for finding in findings), out)
    return 1 if findings else 0


def _say(text: str, out: Path | None) -> None:
    if out is None:
        if text:
            print(text)
        return
    write_report(out, text)


def _check_step(options: argparse.Namespace) -> int:
    try:
        content = read_regular(options.file, _MOST_STEP_BYTES)
    except OSError as error:
        raise EvenPaletteError(f"{options.file} cannot be read: {reason(error)}.") from error
    if options.trust:
        trust(options.file)
    elif hashlib.sha256(content).hexdigest() not in trusted_words():
        raise EvenPaletteError(
            f"{options.file.name} was not run: nobody has trusted it as it is now. {SENTENCE} Say --trust if you know what it does."
        )
    before, operations = set(KINDS), set(OPERATIONS)
    broken = take_file(options.file.resolve(), content)
    if broken is not None:
        print(f"wrong: {broken}")
        return 1
    mine = [key for key in KINDS if key not in before]
    if not mine:
        made = next(kind for key, kind in OPERATIONS.items() if key not in operations)
        return _told(proofs_of_operation(made))
    draw = None
    try:
        from evenpalette.gpu.trial import Trial

        draw = Trial().draw
    except EvenPaletteError as error:
        note(f"its GLSL was not tried: {error}")
    return _told((proof.what, proof.problem) for proof in proofs_of(KINDS[mine[0]], draw))


def _told(proofs: Iterable[tuple[str, str]]) -> int:
    """Say what was looked at; whether anything was not so."""
    wrong = 0
    for what, problem in proofs:
        print(f"wrong: {what}: {problem}" if problem else f"ok: {what}")
        wrong += bool(problem)
    return 1 if wrong else 0
