"""All that this checkout makes of the demos and of the projects of every version, written into a folder."""

import subprocess
import sys
from pathlib import Path

from evenpalette.core.recipe.attributes import ATTRIBUTES
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage

ROOT = Path(__file__).parents[1]
SIDE = 256


def projects(out: Path) -> list[Path]:
    """The folders of all demos and of the projects of earlier versions."""
    market = copy_demo(out).parent
    demos = [path.parent for path in sorted(market.rglob("project.json"))]
    return demos + [path.parent for path in sorted((ROOT / "tests" / "data").glob("version-*/*/project.json"))]


def verb(out: Path, *words: str) -> None:
    """Run a verb of the command line and keep what it says, however it ends."""
    done = subprocess.run([sys.executable, "-m", "evenpalette", *words], capture_output=True, text=True, check=False)
    out.parent.mkdir(parents=True, exist_ok=True)
    out.write_text(
        f"{done.returncode}\n{done.stdout}{done.stderr}".replace(str(out.parents[1]), "OUT").replace(str(ROOT), "HERE")
    )


def write(out: Path) -> None:
    """Findings, delivered maps of all attributes, kit, the tone, the ID map and the saved project of each."""
    for project in projects(out / "projects"):
        into = out / f"{project.parent.name}-{project.name}"
        verb(into / "check.txt", "check", str(project), "--json")
        verb(
            into / "export.txt", "export", str(project), "--out", str(into / "delivered"), "--size", str(SIDE),
            "--kit-size", str(SIDE), "--maps", ",".join(ATTRIBUTES),
        )  # fmt: skip
        state = Storage(project).open()
        for map_ in ("tone", "id") if state.project.variants else ():
            verb(
                into / f"{map_}.txt", "render", str(project), "--variant", state.project.variants[0].name, "--map", map_,
                "--size", str(SIDE), "--out", str(into / f"{map_}.png"),
            )  # fmt: skip
        Storage(into / "saved").save(state)


if __name__ == "__main__":
    write(Path(sys.argv[1]).resolve())
