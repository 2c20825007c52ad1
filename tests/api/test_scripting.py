"""Every script of the documentation runs as it stands."""

import re
from pathlib import Path

import pytest

from evenpalette.core.storage.demo_files import copy_demo

DOCS = Path(__file__).parents[2] / "docs"
PAGE = (DOCS / "scripting.md").read_text("utf-8")
RECIPES = {
    part.partition("\n")[0]: "".join(re.findall(r"```python\n(.*?)```", part, re.DOTALL))
    for part in PAGE.split("\n## ")[1:]
}


def test_there_are_twelve() -> None:
    assert len(RECIPES) == 12
    assert all(RECIPES.values())


@pytest.mark.parametrize("name", RECIPES)
def test_the_recipe_runs(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    copy_demo(tmp_path / "market")
    monkeypatch.chdir(tmp_path)
    exec(compile(RECIPES[name], f"{name}.py", "exec"), {"__name__": "__main__"})
