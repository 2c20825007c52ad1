"""Steps of one's own: run only where somebody said so, tested as ours are, and nothing is lost without them."""

import json
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest

import evenpalette
from evenpalette.cli import main
from evenpalette.core.findings.findings import find_all
from evenpalette.core.recipe.own_kinds import take_own, trust
from evenpalette.core.recipe.proof import proofs_of
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.regions.operations import OPERATIONS
from evenpalette.core.regions.proof import proofs_of_operation
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage

STEP = '''
from pathlib import Path
Path({mark!r}).write_text("it was run")
import numpy as np
from evenpalette.core.recipe.kind import Op, StepKind
from evenpalette.core.values import Input, ValueType

def _run(planes, weight, amount, values, reads):
    depth = np.float32(values["depth"])
    for plane in planes:
        plane += (plane * (1 - depth) - plane) * weight * np.float32(amount)

KIND = StepKind(
    key="dents", label="Dents", summary="Darker by a depth",
    inputs=(Input("depth", "Depth", ValueType.NUMBER, 0.0, 0.0, 1.0),),
    ops=(Op("base_color", _run, "vec3 ep_dents_base_color(vec3 c, float depth) {{ return c * ({body}); }}", ("depth",)),),
    formula="c * (1 - depth)", source="common practice, no source", examples=({{"depth": 0.4}},),
)
'''  # fmt: skip


@pytest.fixture
def steps(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    folder = tmp_path / "steps"
    folder.mkdir()
    monkeypatch.setenv("EVENPALETTE_STEPS", str(folder))
    yield folder
    KINDS.drop(folder)
    shutil.rmtree(folder)
    take_own()
    assert "dents" not in KINDS


def written(steps: Path, body: str = "1.0 - depth", name: str = "dents.py") -> tuple[Path, Path]:
    mark = steps.parent / "mark"
    path = steps / name
    path.write_text(STEP.format(mark=str(mark), body=body))
    return path, mark


def test_nothing_runs_that_nobody_trusted_as_it_is(steps: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path, mark = written(steps)
    demo = copy_demo(steps.parent / "market", "pennant")
    assert main(["check", str(demo)]) == 0
    assert "not run" in capsys.readouterr().err
    assert main(["check-step", str(path)]) == 2
    assert "all of your rights" in capsys.readouterr().err
    assert [(f.path.name, f.is_trusted) for f in take_own()] == [("dents.py", False)]
    evenpalette.open(demo).close()
    assert not mark.exists()
    trust(path)
    assert [f.broken for f in take_own()] == [None]
    assert "dents" in KINDS
    assert mark.exists()
    # Another content is another file.
    mark.unlink()
    path.write_text(path.read_text() + "\n# changed\n")
    assert [f.is_trusted for f in take_own()] == [False]
    assert "dents" not in KINDS
    assert not mark.exists()


def test_it_is_tested_as_ours_are(steps: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path, _ = written(steps)
    assert main(["check-step", str(path), "--trust"]) == 0
    said = capsys.readouterr()
    assert "ok: example 1: an amount of 0 changes nothing" in said.out
    assert "by GLSL is what the kernel makes" in said.out or "GLSL was not tried" in said.err
    KINDS.drop_file(path)
    path, _ = written(steps, body="1.0 - 0.5 * depth")
    code = main(["check-step", str(path), "--trust"])
    said = capsys.readouterr()
    assert code == 1 or "GLSL was not tried" in said.err
    assert "codes" in said.out or "more than a code apart" in said.out
    KINDS.drop_file(path)


OPERATION = """
import numpy as np
from evenpalette.core.regions.operation_kind import OperationKind
from evenpalette.core.values import Input, ValueType

def run(plane, values, around):
    return np.minimum(plane * np.float32(values["times"]), {most})

OPERATION = OperationKind(
    "louder", "Louder", "More of it", (Input("times", "Times", ValueType.NUMBER, 1.0, 0.0, 4.0),), run,
    source="common practice, no source",
)
"""  # fmt: skip


@pytest.mark.parametrize(("most", "code"), [("np.float32(1)", 0), ("np.float32(9)", 1)])
def test_an_operation_of_ones_own_is_tested_too(
    steps: Path, capsys: pytest.CaptureFixture[str], most: str, code: int
) -> None:
    path = steps / "louder.py"
    path.write_text(OPERATION.format(most=most))
    try:
        assert main(["check-step", str(path), "--trust"]) == code
        assert ("wrong: times at 4.0" in capsys.readouterr().out) == bool(code)
        assert "louder" in OPERATIONS
    finally:
        OPERATIONS.drop(steps)


@pytest.mark.parametrize("kind", OPERATIONS)
def test_our_operations_pass_it_too(kind: str) -> None:
    """But for those that say that they need a mesh."""
    wrong = [(what, problem) for what, problem in proofs_of_operation(OPERATIONS[kind]) if problem]
    assert [w for w in wrong if "needs a mesh" not in w[1]] == []


@pytest.mark.parametrize("kind", KINDS)
def test_ours_pass_it_too(kind: str) -> None:
    assert [proof for proof in proofs_of(KINDS[kind]) if proof.problem] == []


def test_a_broken_one_is_named_with_its_line_and_leaves_the_rest_alone(
    steps: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    good, _ = written(steps)
    bad = steps / "bad.py"
    bad.write_text("x = 1\n\ny = 1 / 0\n")
    trust(good)
    trust(bad)
    files = {f.path.name: f for f in take_own()}
    assert files["dents.py"].broken is None
    assert str(files["bad.py"].broken) == "bad.py, line 3: ZeroDivisionError: division by zero"
    assert main(["check-step", str(bad), "--trust"]) == 1
    assert "bad.py, line 3" in capsys.readouterr().out


def test_a_project_keeps_a_step_that_is_not_installed(steps: Path, tmp_path: Path) -> None:
    path, _ = written(steps)
    trust(path)
    take_own()
    demo = copy_demo(tmp_path / "m", "pennant")
    document = json.loads((demo / "project.json").read_text())
    own = {
        "id": "step-own", "kind": "dents", "name": "Dents", "enabled": True, "amount": {"parameter": None, "value": 1.0},
        "inputs": {"depth": {"parameter": None, "value": 0.5}}, "rows": [{"id": "row-own", "regions": None, "inputs": {}}],
    }  # fmt: skip
    document["sheets"][0]["steps"].append(own)
    (demo / "project.json").write_text(json.dumps(document))
    with evenpalette.open(demo) as project:
        with_it = project.render("Market Red", size=32)
        project.deliver(tmp_path / "with", size=32)
    path.unlink()
    take_own()
    state = Storage(demo).open()
    assert [f.code for f in find_all(state)] == ["unknown-step"]
    with evenpalette.open(demo) as project:
        without = project.render("Market Red", size=32)
        assert abs(with_it.mean() / without.mean() - 0.5) < 0.02
        project.variants["Market Red"]["Bleach"] = 0.5
        project.save()
        with pytest.raises(evenpalette.Error, match="'dents', which is not installed"):
            project.deliver(tmp_path / "without", size=32)
    kept = json.loads((demo / "project.json").read_text())["sheets"][0]["steps"][-1]
    assert (kept["kind"], kept["inputs"]["depth"]["value"]) == ("dents", 0.5)
