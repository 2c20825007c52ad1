"""Findings of several projects as build servers read them: SARIF 2.1.0 (OASIS) and JUnit's XML (common practice, no
source)."""

from collections.abc import Sequence
from dataclasses import field
from typing import Any
from urllib.parse import quote
from xml.etree import ElementTree

from evenpalette import __version__
from evenpalette.core.dataclass import dataclass
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.kinds import FINDINGS
from evenpalette.core.findings.rules import Rules, Severity

_SCHEMA = "https://json.schemastore.org/sarif-2.1.0.json"


@dataclass(frozen=True)
class Checked:
    """A project that was looked at. path: of its project.json, as the report is to name it. error: why it could not be
    looked at."""

    name: str
    path: str
    findings: tuple[Finding, ...] = field(default=())
    error: str = ""


def counted(checked: Sequence[Checked], rules: Rules, severity: Severity) -> int:
    """How many findings count so; a project that cannot be opened is an error."""
    failed = sum(bool(one.error) for one in checked) if severity is Severity.ERROR else 0
    return failed + sum(rules.of(f.code) is severity for one in checked for f in one.findings)


def as_data(checked: Sequence[Checked], rules: Rules) -> dict[str, Any]:
    """For a script: by project what was found, and how it counts."""
    return {
        "projects": [
            {
                "name": one.name, "project": one.path, "error": one.error,
                "findings": [
                    {
                        "code": f.code, "severity": rules.of(f.code).value, "station": f.station, "text": f.text,
                        "region": f.region, "place": f.place,
                    }
                    for f in one.findings if rules.of(f.code) is not Severity.OFF
                ],
            }
            for one in checked
        ]
    }  # fmt: skip


def as_sarif(checked: Sequence[Checked], rules: Rules) -> dict[str, Any]:
    """A log of one run: a rule for each kind of finding, a result for each finding, at the project's file."""
    kinds = list(FINDINGS)
    results: list[dict[str, Any]] = []
    for one in checked:
        place = [{"physicalLocation": {"artifactLocation": {"uri": _uri(one.path)}}}]
        if one.error:
            results.append(
                {"ruleId": "unreadable", "level": "error", "message": {"text": one.error}, "locations": place}
            )
        for f in one.findings:
            severity = rules.of(f.code)
            if severity is Severity.OFF:
                continue
            results.append(
                {
                    "ruleId": f.code, "ruleIndex": kinds.index(f.code), "level": severity.value,
                    "message": {"text": f.text}, "locations": place,
                    "partialFingerprints": {"finding/v1": f"{one.name} {f.key}"},
                }
            )  # fmt: skip
    described = [
        {
            "id": key,
            "shortDescription": {"text": (kind.find.__doc__ or key).split("\n")[0]},
            "defaultConfiguration": {"level": _level(rules.of(key))},
        }
        for key, kind in FINDINGS.items()
    ]
    driver = {"name": "Even Palette", "version": __version__, "rules": described}
    return {"$schema": _SCHEMA, "version": "2.1.0", "runs": [{"tool": {"driver": driver}, "results": results}]}


def _level(severity: Severity) -> str:
    return "none" if severity is Severity.OFF else severity.value


def _uri(path: str) -> str:
    return quote(path)


def as_junit(checked: Sequence[Checked], rules: Rules) -> str:
    """A suite for each project, a case for each finding; those that are errors failed. One without any passed."""
    root = ElementTree.Element("testsuites", name="Even Palette")
    for one in checked:
        shown = [f for f in one.findings if rules.of(f.code) is not Severity.OFF]
        failed = [f for f in shown if rules.of(f.code) is Severity.ERROR]
        suite = ElementTree.SubElement(
            root, "testsuite", name=_clean(one.name), tests=str(max(1, len(shown) + bool(one.error))),
            failures=str(len(failed)), errors=str(int(bool(one.error))),
        )  # fmt: skip
        if one.error:
            case = ElementTree.SubElement(suite, "testcase", classname=_clean(one.name), name="opens")
            ElementTree.SubElement(case, "error", message=_clean(one.error))
        elif not shown:
            ElementTree.SubElement(suite, "testcase", classname=_clean(one.name), name="no findings")
        for number, f in enumerate(shown, 1):
            case = ElementTree.SubElement(
                suite, "testcase", classname=_clean(one.name), name=f"{f.station}: {f.code} {number}"
            )
            if rules.of(f.code) is Severity.ERROR:
                ElementTree.SubElement(case, "failure", message=_clean(f.text), type=f.code)
            else:
                ElementTree.SubElement(case, "system-out").text = _clean(f.text)
    ElementTree.indent(root)
    return ElementTree.tostring(root, encoding="unicode", xml_declaration=True) + "\n"


def _clean(text: str) -> str:
    """What XML 1.0 can hold of a text."""
    return "".join(c if c.isprintable() else "\N{REPLACEMENT CHARACTER}" for c in text)
