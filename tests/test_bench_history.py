"""What benchmarks measured is kept, and what got slower is named."""

import json
from pathlib import Path

import pytest
from benchmarks import history

import evenpalette


def test_what_grew_by_more_than_a_tenth_is_named_the_worst_first() -> None:
    before = {"a": 1.0, "b": 2.0, "c": 4.0, "gone": 1.0}
    now = {"a": 1.05, "b": 3.0, "c": 4.8, "new": 9.0}
    lines = history.slower(now, before)
    assert [line.split(": ")[1].split(" (")[0] for line in lines] == ["b", "c"]
    assert lines[0].startswith("SLOWER by 50%")


def test_figures_are_held_against_the_last_version_on_the_same_kind_of_machine(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(history, "FOLDER", tmp_path)
    history.note("reading", 2.0)
    history.note("writing", 1.0)
    history.finish()
    assert "no figures of an earlier version" in capsys.readouterr().out
    monkeypatch.setattr(history, "__version__", "99")
    history.note("reading", 3.0)
    # A run that ends here has kept it.
    assert history.measured() == {"reading": 3.0}
    history.finish()
    assert "SLOWER by 50%: reading (2 before, 3 now)" in capsys.readouterr().out
    held = [json.loads(path.read_text()) for path in tmp_path.glob("*.json")]
    assert {h["version"]: len(h["ratios"]) for h in held} == {evenpalette.__version__: 2, "99": 1}
    assert all(h["kind"] == history.kind() for h in held)
    # Of several versions of one day the last one counts.
    for version, took in (("99.9", 5.0), ("99.10", 6.0)):
        monkeypatch.setattr(history, "__version__", version)
        history.note("reading", took)
    monkeypatch.setattr(history, "__version__", "99.11")
    assert history.last()[1] == {"reading": 6.0}
    # Another kind of machine says nothing about this one.
    monkeypatch.setattr(history, "kind", lambda: "another")
    assert history.last() == ("", {})
