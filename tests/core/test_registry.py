"""Kinds from files: a folder that is not ours adds them, and what is broken is named and left out."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from evenpalette.core.errors import RegistryError
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.registry import Registry

STEP = """
from evenpalette.core.recipe.steps import tint
from dataclasses import replace
KIND = replace(tint.KIND, key="{key}", label="Own")
"""


@pytest.fixture
def folder(tmp_path: Path) -> Iterator[Path]:
    yield tmp_path
    KINDS.drop(tmp_path)


def test_a_folder_that_is_not_ours_adds_kinds_in_their_order(folder: Path) -> None:
    (folder / "own.py").write_text(STEP.format(key="own"))
    (folder / "_helper.py").write_text("raise SystemExit")
    assert KINDS.take(folder) == []
    assert KINDS["own"].label == "Own"
    assert [kind.order for kind in KINDS.values()] == sorted(kind.order for kind in KINDS.values())
    KINDS.drop(folder)
    assert "own" not in KINDS


def test_what_is_broken_is_named_with_its_line_and_leaves_the_rest_alone(folder: Path) -> None:
    (folder / "a.py").write_text("\n\nx = 1 / 0\n")
    (folder / "b.py").write_text("def (:\n")
    (folder / "c.py").write_text("x = 1\n")
    (folder / "d.py").write_text(STEP.format(key="tint"))
    (folder / "e.py").write_text("import sys\nsys.exit(1)\n")
    (folder / "f.py").write_text(STEP.format(key="own"))
    before = KINDS["tint"]
    broken = KINDS.take(folder)
    assert [(b.path.name, b.line) for b in broken] == [("a.py", 3), ("b.py", 1), ("c.py", 0), ("d.py", 0), ("e.py", 2)]
    assert "division by zero" in str(broken[0])
    assert "'tint' is the key of tint.py already" in str(broken[3])
    assert KINDS["tint"] is before
    assert "own" in KINDS


def test_a_package_with_one_key_twice_does_not_start(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    package = tmp_path / "twice"
    package.mkdir()
    for name in ("__init__", "one", "two"):
        (package / f"{name}.py").write_text(
            "from types import SimpleNamespace\nKIND = SimpleNamespace(key='k', order=0)\n"
        )
    monkeypatch.syspath_prepend(tmp_path)
    with pytest.raises(RegistryError, match=r"two.py: 'k' is the key of one.py already"):
        Registry("twice", [str(package)], "KIND")
