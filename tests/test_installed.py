"""The application as it is installed: a wheel in an environment of its own, and its place on the desktop."""

import os
import shutil
import subprocess
import sys
import sysconfig
import venv
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from evenpalette import __version__
from evenpalette.cli import main
from evenpalette.desktop import ICON_SIDES

ROOT = Path(__file__).parents[1]


@pytest.fixture(scope="module")
def installed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of programs of an environment that has the wheel; what it depends on is lent by ours."""
    folder = tmp_path_factory.mktemp("wheel")
    tree = folder / "tree"
    named = subprocess.run(["git", "ls-files", "-co", "--exclude-standard"], cwd=ROOT, capture_output=True, check=True)
    for name in named.stdout.decode().split("\n"):
        if name and (ROOT / name).exists() and not name.startswith("tests/"):
            (tree / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(ROOT / name, tree / name, follow_symlinks=False)
    pip = [sys.executable, "-m", "pip", "--disable-pip-version-check", "-q"]
    offline = ["--no-deps", "--no-index"]
    subprocess.run([*pip, "wheel", *offline, "--no-build-isolation", "-w", str(folder), str(tree)], check=True)
    (wheel,) = folder.glob("*.whl")
    assert wheel.name.startswith(f"evenpalette-{__version__}-py3")
    venv.create(folder / "own", with_pip=False)
    program = folder / "own" / "bin" / "python"
    subprocess.run([*pip, "--python", str(program), "install", *offline, str(wheel)], check=True)
    lent = Path(sysconfig.get_path("purelib"))
    (own,) = (folder / "own" / "lib").glob("python*/site-packages")
    (own / "lent.pth").write_text(f"{lent}\n")
    return folder / "own" / "bin"


def run(installed: Path, *words: str, **around: str) -> subprocess.CompletedProcess[str]:
    program = [str(installed / "evenpalette"), *words]
    own = {key: value for key, value in os.environ.items() if key != "PYTHONPATH"}
    return subprocess.run(program, capture_output=True, text=True, env={**own, **around}, cwd="/", check=False)


def test_a_wheel_brings_all_that_the_program_needs(installed: Path, tmp_path: Path) -> None:
    """Shaders, fonts, demos: the window comes up on the demo and draws it."""
    assert run(installed, "--version").stdout == f"evenpalette {__version__}\n"
    where = "import evenpalette; print(evenpalette.__file__)"
    found = subprocess.run(
        [installed / "python", "-I", "-c", where], capture_output=True, text=True, cwd="/", check=True
    )
    assert Path(found.stdout).is_relative_to(installed.parent), "not ours, which lies beside it"
    shot = tmp_path / "window.png"
    done = run(installed, "demo", "--into", str(tmp_path / "market"), EVENPALETTE_SCREENSHOT=str(shot))
    assert (done.returncode, done.stderr) == (0, "")
    drawn = np.asarray(Image.open(shot).convert("RGB")).astype(int)
    saturated = (drawn.max(-1) - drawn.min(-1) > 60).mean()
    assert saturated > 0.01, "the lantern is red; the window is gray"
    guide = Path(found.stdout.strip()).parent / "app" / "resources" / "guide"
    assert (guide / "walk.md").is_file()
    assert (guide / "pictures" / "recipe.webp").is_file()


def test_the_wheel_carries_its_desktop_files_where_a_prefix_has_them(installed: Path) -> None:
    share = installed.parent / "share"
    assert (share / "applications" / "evenpalette.desktop").is_file()
    assert (share / "mime" / "packages" / "evenpalette.xml").is_file()
    assert (share / "icons" / "hicolor" / "scalable" / "apps" / "evenpalette.svg").is_file()


def test_it_is_put_on_the_desktop_and_taken_away_again(installed: Path, tmp_path: Path) -> None:
    before = sorted(tmp_path.rglob("*"))
    home = tmp_path / "share"
    assert run(installed, "install-desktop", XDG_DATA_HOME=str(home)).returncode == 0
    entry = (home / "applications" / "evenpalette.desktop").read_text()
    (started,) = (line.removeprefix("Exec=") for line in entry.splitlines() if line.startswith("Exec="))
    assert started == f"{installed / 'evenpalette'} %f", "the program that put it there, wherever it lies"
    for side in ICON_SIDES:
        picture = Image.open(home / "icons" / "hicolor" / f"{side}x{side}" / "apps" / "evenpalette.png")
        assert picture.size == (side, side)
        assert picture.getextrema()[3] == (0, 255)
    done = run(installed, "install-desktop", "--remove", XDG_DATA_HOME=str(home))
    assert done.returncode == 0
    left = [path for path in sorted(tmp_path.rglob("*")) if path.is_file() and "evenpalette" in path.name]
    assert left == []
    assert before == []


@pytest.mark.skipif(shutil.which("desktop-file-validate") is None, reason="desktop-file-validate is not installed")
def test_the_entry_is_valid_to_the_desktop(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert main(["install-desktop"]) == 0
    entry = tmp_path / "applications" / "evenpalette.desktop"
    done = subprocess.run(["desktop-file-validate", str(entry)], capture_output=True, text=True, check=False)
    assert (done.returncode, done.stdout) == (0, "")


@pytest.mark.skipif(shutil.which("update-mime-database") is None, reason="update-mime-database is not installed")
def test_a_project_is_known_by_its_content(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """What the desktop's own tool makes of our type: its magic, as the Shared MIME-info specification lays it out."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert main(["install-desktop"]) == 0
    assert b"application/x-even-palette-project" in (tmp_path / "mime" / "magic").read_bytes()
    assert b'"even-palette-project"' in (tmp_path / "mime" / "magic").read_bytes()
    project = (ROOT / "tests" / "data" / "version-4" / "ribbon" / "project.json").read_bytes()
    assert b'"even-palette-project"' in project[:88], "64 bytes in, as the type says"
