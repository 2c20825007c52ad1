"""Findings of many projects for build servers, and which of them count."""

import json
import re
import shutil
from pathlib import Path
from xml.etree import ElementTree

import pytest

from evenpalette.cli import main
from evenpalette.core.findings.finding import Finding
from evenpalette.core.findings.kinds import FINDINGS
from evenpalette.core.findings.reports import Checked, as_junit, as_sarif
from evenpalette.core.findings.rules import Rules, Severity
from evenpalette.core.storage.demo_files import copy_demo

HOSTILE = 'a "quoted" <tag> & ]]> \x1b[31m name\n'


@pytest.fixture
def market(tmp_path: Path) -> Path:
    folder = copy_demo(tmp_path / "market").parent
    shutil.rmtree(folder / "moth-lantern")
    document = json.loads((folder / "pennant" / "project.json").read_text())
    document["name"] = 'Pennant <of> "us" & them'
    document["sheets"][0]["steps"][0]["rows"][0]["regions"] = []
    (folder / "pennant" / "project.json").write_text(json.dumps(document))
    return folder


def rules_file(folder: Path, **findings: str) -> str:
    path = folder / "rules.json"
    path.write_text(json.dumps({"format": "even-palette-rules", "version": 1, "findings": findings}))
    return str(path)


def test_sarif_says_every_finding_at_its_project(market: Path, tmp_path: Path) -> None:
    """OASIS, Static Analysis Results Interchange Format 2.1.0: required properties and levels, from the text of the
    standard: 3.13 (log), 3.14 (run), 3.27 (result), 3.49 (rule)."""
    out = tmp_path / "f.sarif"
    assert main(["check", str(market / "market.collection.json"), "--format", "sarif", "--out", str(out)]) == 1
    log = json.loads(out.read_text())
    assert log["version"] == "2.1.0"
    (run,) = log["runs"]
    rules = [rule["id"] for rule in run["tool"]["driver"]["rules"]]
    assert rules == list(FINDINGS)
    places = {r["locations"][0]["physicalLocation"]["artifactLocation"]["uri"].split("/")[-2] for r in run["results"]}
    assert places == {"moth-lantern", "pennant"}
    for result in run["results"]:
        assert result["level"] in ("error", "warning", "note")
        assert result["message"]["text"]
        if "ruleIndex" in result:
            assert rules[result["ruleIndex"]] == result["ruleId"]
    assert any(r["ruleId"] == "unreadable" and "moth-lantern" in r["message"]["text"] for r in run["results"])


def test_junit_is_read_by_an_xml_reader_whatever_names_are(market: Path, tmp_path: Path) -> None:
    out = tmp_path / "f.xml"
    assert main(["check", str(market / "market.collection.json"), "--format", "junit", "--out", str(out)]) == 1
    root = ElementTree.parse(out).getroot()
    suites = {suite.get("name"): suite for suite in root}
    assert set(suites) == {"moth-lantern", "pennant", "stall-sign", "tea-tin"}
    assert suites["moth-lantern"].get("errors") == "1"
    assert suites["tea-tin"][0].get("name") == "no findings"
    assert int(suites["pennant"].get("tests") or 0) >= 1
    text = as_junit([Checked(HOSTILE, "x", (Finding("gap", "regions", HOSTILE),))], Rules())
    (suite,) = ElementTree.fromstring(text.encode())
    assert '"quoted" <tag> & ]]>' in (suite.get("name") or "")
    sarif = as_sarif([Checked(HOSTILE, "a b/ü#?.json", (Finding("gap", "regions", HOSTILE),))], Rules())
    assert re.fullmatch(
        r"[A-Za-z0-9/%.]+",
        sarif["runs"][0]["results"][0]["locations"][0]["physicalLocation"]["artifactLocation"]["uri"],
    )


def test_a_team_says_what_is_an_error(market: Path, capsys: pytest.CaptureFixture[str]) -> None:
    pennant = str(market / "pennant")
    assert main(["check", pennant]) == 1
    codes = [f["code"] for f in json.loads((capsys.readouterr(), main(["check", pennant, "--json"]), capsys.readouterr().out)[2])["findings"]]  # fmt: skip
    assert codes
    assert main(["check", pennant, "--rules", rules_file(market, **dict.fromkeys(codes, "note"))]) == 0
    assert "note" in capsys.readouterr().out
    assert main(["check", pennant, "--rules", rules_file(market, **dict.fromkeys(codes, "off"))]) == 0
    assert capsys.readouterr().out.strip() == ""
    assert main(["check", pennant, "--rules", rules_file(market, **dict.fromkeys(codes, "error"))]) == 1
    out = ["--out", str(market / "o"), "--size", "32", "--rules"]
    assert main(["deliver", pennant, *out, rules_file(market, **dict.fromkeys(codes, "error"))]) == 1
    assert main(["deliver", pennant, *out, rules_file(market, **dict.fromkeys(codes, "off"))]) == 0


@pytest.mark.parametrize(("content", "said"), [
    ("{", "holds no rules"), ("[]", "begins with"), ('{"format": "even-palette-rules", "version": 2}', "begins with"),
    ('{"format": "even-palette-rules", "version": 1, "findings": {"nothing": "error"}}', "no finding 'nothing'"),
    ('{"format": "even-palette-rules", "version": 1, "findings": {"gap": "fatal"}}', "not 'fatal'"),
    ('{"format": "even-palette-rules", "version": 1, "more": 1}', "nothing else"),
])  # fmt: skip
def test_rules_that_are_none_are_refused(
    market: Path, capsys: pytest.CaptureFixture[str], content: str, said: str
) -> None:
    (market / "r.json").write_text(content)
    assert main(["check", str(market / "pennant"), "--rules", str(market / "r.json")]) == 2
    assert said in capsys.readouterr().err


def test_every_weight_has_a_severity() -> None:
    assert {Rules().of(code) for code in FINDINGS} == {Severity.ERROR, Severity.WARNING, Severity.NOTE}
    assert Rules({"gap": Severity.OFF}).of("gap") is Severity.OFF
