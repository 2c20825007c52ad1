"""Deliveries of many projects: the same bytes everywhere, nothing made twice, nothing half after a kill."""

import contextlib
import hashlib
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from concurrent.futures import Future
from pathlib import Path

import numpy as np
import pytest

import evenpalette
from evenpalette.cli import main
from evenpalette.core.batch.deliver import deliver_all
from evenpalette.core.batch.delivery import FAILED, PARTS_FOLDER, RECORD_FILE, UNCHANGED, Asset, AssetReport
from evenpalette.core.batch.executors import EXECUTORS, executor_named
from evenpalette.core.batch.executors.local import Local
from evenpalette.core.batch.parts import Made
from evenpalette.core.batch.wish import Wish
from evenpalette.core.batch.work import Job, work
from evenpalette.core.delivery.layouts.named import layout_named
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.limits import limits, own_factor
from evenpalette.core.parallel import run_over, threads, threads_of_work
from evenpalette.core.raster.reading import DerivedPictures, own_derived, plane_at
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.pack import pack_project, unpack_project

NAMES = ("pennant", "tea-tin")
PACKED = layout_named(None, "packed")
FILES = Wish.of(layout=PACKED, size=96)
FORMS = Wish.of(targets=("images", "kit"), size=96, kit_size=96)


@pytest.fixture(scope="module")
def market(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return copy_demo(tmp_path_factory.mktemp("market") / "market").parent


def assets(market: Path, out: Path, names: tuple[str, ...] = NAMES) -> list[Asset]:
    return [Asset(name, market / name, out / name) for name in names]


def run(wished: list[Asset], wish: Wish, executor: str | None = None, **how: object) -> list[AssetReport]:
    running = executor_named(executor)
    try:
        return deliver_all(wished, wish, running, **how)  # type: ignore[arg-type]
    finally:
        running.close()


def went_well(reports: list[AssetReport]) -> None:
    assert [(r.status, r.error) for r in reports if r.status == FAILED] == []


def tree(folder: Path) -> dict[str, str]:
    """A hash of every file but of what is noted for the next time."""
    return {
        path.relative_to(folder).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest()
        for path in sorted(folder.rglob("*")) if path.is_file() and path.name != RECORD_FILE
    }  # fmt: skip


@pytest.fixture(scope="module")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A cluster of two workers."""
    with begun_cluster(tmp_path_factory.mktemp("cluster")) as (address, _):
        yield address


@contextlib.contextmanager
def begun_cluster(folder: Path) -> Iterator[tuple[str, list[subprocess.Popen]]]:
    """A scheduler and two workers of Dask, as `dask scheduler` and `dask worker` begin them."""
    pytest.importorskip("distributed", reason="dask and distributed (the extra cluster) are not installed")
    note = folder / "scheduler.json"
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    dask = [sys.executable, "-m", "dask"]
    scheduler = subprocess.Popen(
        [*dask, "scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard", "--scheduler-file", str(note)], **quiet
    )  # fmt: skip
    workers: list[subprocess.Popen] = []
    try:
        end = time.monotonic() + 60
        while not note.exists():
            assert time.monotonic() < end, "no scheduler"
            time.sleep(0.1)
        for number in range(2):
            where = ["--local-directory", str(folder / str(number)), "--nthreads", "1", "--no-dashboard", "--no-nanny"]
            workers.append(subprocess.Popen([*dask, "worker", "--scheduler-file", str(note), *where], **quiet))
        yield json.loads(note.read_text())["address"], workers
    finally:
        for process in (*workers, scheduler):
            process.kill()
            process.wait()


@pytest.mark.parametrize("wish", [FILES, FORMS], ids=["layout", "forms"])
def test_the_same_bytes_from_everywhere(market: Path, tmp_path: Path, cluster: str, wish: Wish) -> None:
    """The window delivers with `deliver`, as the script without an executor does."""
    layout = tmp_path / "packed.json"
    shutil.copyfile(Path(evenpalette.__file__).parent / "core/delivery/layouts/beginnings/packed.json", layout)
    how = ["--layout", str(layout)] if wish is FILES else ["--target", "images", "--target", "kit", "--kit-size", "96"]
    name = "pennant"
    went_well(run(assets(market, tmp_path / "here", (name,)), wish))
    went_well(run(assets(market, tmp_path / "two", (name,)), wish, "local:2"))
    went_well(run(assets(market, tmp_path / "dask", (name,)), wish, f"dask:{cluster}"))
    assert main(["deliver", str(market / name), "--out", str(tmp_path / "line"), "--size", "96", *how]) == 0
    assert main(["export", str(market / name), "--out", str(tmp_path / "export"), "--size", "96", *how]) == 0
    wanted = tree(tmp_path / "export")
    assert len(wanted) > 10
    for place in ("here", "two", "dask", "line"):
        assert tree(tmp_path / place / name) == wanted, place
    if wish is FILES:
        with evenpalette.open(market / name) as project:
            project.deliver(tmp_path / "script", layout="packed", size=96)
        assert tree(tmp_path / "script") == wanted


def test_only_what_depends_on_a_change_is_made_again(market: Path, tmp_path: Path) -> None:
    shutil.copytree(market, tmp_path / "m")
    collection = evenpalette.open_collection(tmp_path / "m" / "market.collection.json")
    wished = assets(tmp_path / "m", tmp_path / "out", ("pennant", "moth-lantern"))
    first = run(wished, FILES)
    assert all(part.made for report in first for part in report.parts)
    again = run(wished, FILES)
    assert [(r.status, r.written, r.parts) for r in again] == [(UNCHANGED, 0, [])] * 2
    collection.change("Guild red", "#207050")
    third = run(wished, FILES)
    assert [p.name for r in third for p in r.parts if p.made] == ["files of Market Red"]
    changed = [n for n in third[0].names if "market-red" in n and "color" in n]
    assert third[0].written == len(changed) == 1  # the other maps of the variant came out as they lay there
    # A default changes what takes it, and nothing else.
    with evenpalette.open(tmp_path / "m" / "pennant") as pennant:
        taking = [v.name for v in pennant.variants.values() if "Bleach" not in v.own]
        pennant._change(lambda s: s)  # a script may do nothing
        from evenpalette.core.edits.variants import set_value

        pennant._change(lambda s: set_value(s, None, pennant.parameters["Bleach"].id, 0.25))
        pennant.save()
    made = [p.name.removeprefix("files of ") for r in run(wished, FILES) for p in r.parts if p.made]
    assert sorted(made) == sorted(taking)
    assert all(r.status != UNCHANGED for r in run(wished, FILES, again=True))


class OneByOne:
    """Does jobs when it is told which: the order in which workers end is anybody's."""

    def __init__(self, order: tuple[str, ...]) -> None:
        self.width, self.notes, self._order = 8, list[str](), order
        self._held: list[tuple[Job, Future[Made]]] = []

    def submit(self, job: Job) -> "Future[Made]":
        future: Future[Made] = Future()
        self._held.append((job, future))
        if job.part["kind"] == "plan":
            return self._do(self._held.pop())
        threading.Timer(0.05, self._go_on).start()
        return future

    def _do(self, one: tuple[Job, "Future[Made]"]) -> "Future[Made]":
        job, future = one
        try:
            future.set_result(work(job.project, job.blob(), job.wish, job.part))
        except EvenPaletteError as error:
            future.set_exception(error)
        return future

    def _go_on(self) -> None:
        held, self._held = self._held, []
        for one in sorted(held, key=lambda one: self._order.index(one[0].part["kind"])):
            self._do(one)

    def close(self) -> None:
        """Nothing is held."""


@pytest.mark.parametrize(
    "order", [("check", "images", "forms"), ("images", "check", "forms"), ("images", "forms", "check")]
)
def test_a_delivery_is_whole_whatever_ends_last(market: Path, tmp_path: Path, order: tuple[str, ...]) -> None:
    (report,) = deliver_all(assets(market, tmp_path, ("pennant",)), FORMS, OneByOne(order))
    assert report.error == ""
    assert (tmp_path / "pennant" / "kit" / "parameters.json").is_file()
    assert (tmp_path / "pennant" / "delivery.json").is_file()


def test_a_failing_asset_does_not_stop_the_others(market: Path, tmp_path: Path) -> None:
    (tmp_path / "broken").mkdir()
    (tmp_path / "broken" / "project.json").write_text("{")
    wished = [
        Asset("broken", tmp_path / "broken", tmp_path / "out" / "broken"),
        *assets(market, tmp_path / "out", ("pennant",)),
        Asset("refused", market / "tea-tin", tmp_path / "out" / "refused", error="It leads out."),
    ]
    told: list[str] = []
    reports = run(wished, FILES, "local:2", reported=lambda report: told.append(report.name))
    assert [r.status == FAILED for r in reports] == [True, False, True]
    assert "damaged" in reports[0].error
    assert sorted(told) == ["broken", "pennant", "refused"]
    assert (
        main(
            [
                "deliver",
                str(tmp_path / "broken"),
                str(market / "pennant"),
                "--out",
                str(tmp_path / "o2"),
                "--size",
                "64",
            ]
        )
        == 1
    )
    with pytest.raises(EvenPaletteError, match="both be delivered"):
        run([Asset("a", market / "pennant", tmp_path / "x"), Asset("b", market / "tea-tin", tmp_path / "x")], FILES)


def deliver_by_line(market: Path, out: Path, executor: str) -> subprocess.Popen:
    words = [
        "deliver",
        *(str(market / name) for name in NAMES),
        "--out",
        str(out),
        "--size",
        "96",
        "--executor",
        executor,
    ]
    return subprocess.Popen(
        [sys.executable, "-m", "evenpalette", *words], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        start_new_session=True,
    )  # fmt: skip


def test_kills_of_the_client_leave_nothing_half_and_nothing_is_made_twice(market: Path, tmp_path: Path) -> None:
    """Six kills at any moment: whatever lies there is whole, and what a kill left finished is not made again."""
    wanted_out = tmp_path / "wanted"
    run(assets(market, wanted_out), FORMS)
    wanted = {name: tree(wanted_out / name) for name in NAMES}
    wish = Wish.of(size=96)
    run(assets(market, tmp_path / "usual"), wish)
    wanted = {name: tree(tmp_path / "usual" / name) for name in NAMES}
    chance = random.Random(11)
    out = tmp_path / "killed"
    for _ in range(6):
        process = deliver_by_line(market, out, "local:2")
        time.sleep(chance.uniform(0.6, 3.5))
        with contextlib.suppress(ProcessLookupError):
            os.killpg(process.pid, signal.SIGKILL)
        process.communicate()
        for name in NAMES:
            # Files take their places together: all of a project, or none.
            lying = (
                {k: v for k, v in tree(out / name).items() if not k.startswith(".even-palette")}
                if (out / name).exists()
                else {}
            )
            assert lying in ({}, wanted[name])
            for kept in (out / name / PARTS_FOLDER).glob("*"):
                assert kept.stat().st_size > 0
    parts = sum(1 for name in NAMES for _ in (out / name / PARTS_FOLDER).glob("[0-9a-f]*"))
    whole = sum((out / name / "delivery.json").exists() for name in NAMES)
    reports = run(assets(market, out), wish)
    assert {name: tree(out / name) for name in NAMES} == wanted
    kept = sum(not part.made for report in reports for part in report.parts)
    assert kept >= parts
    assert whole == 0 or any(report.status == UNCHANGED for report in reports)


def test_workers_that_die_are_replaced(market: Path, tmp_path: Path) -> None:
    """Two kills of processes while they work; what they were making is made by others, and all of it is right."""
    run(assets(market, tmp_path / "wanted"), FILES)
    chance, killed = random.Random(5), 0
    running = executor_named("local:2")
    assert isinstance(running, Local)

    def kill(progress: float) -> None:
        nonlocal killed
        if progress > 0 and killed < 2 and chance.random() < 0.5 and (alive := running.processes()):
            os.kill(chance.choice(alive), signal.SIGKILL)
            killed += 1

    try:
        reports = deliver_all(assets(market, tmp_path / "out"), FILES, running, progress=kill)
    finally:
        running.close()
    assert [r.status for r in reports] == ["made", "made"]
    for name in NAMES:
        assert tree(tmp_path / "out" / name) == tree(tmp_path / "wanted" / name)
    assert killed >= 1


def test_a_part_that_kills_every_worker_is_given_up_in_a_sentence(
    market: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("PYTHONPATH", str(tmp_path))
    (tmp_path / "sitecustomize.py").write_text(
        "import sys\nif 'evenpalette.core.batch.process' in ' '.join(sys.orig_argv): import os; os._exit(9)\n"
    )
    (report,) = run(assets(market, tmp_path / "out", ("pennant",)), FILES, "local:1")
    assert report.status == FAILED
    assert "died 3 times" in report.error
    assert not (tmp_path / "out" / "pennant" / "delivery.json").exists()


def test_a_cluster_of_another_version_is_refused_in_one_sentence(cluster: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("evenpalette.core.batch.executors.dask_cluster.__version__", "9.9.9")
    with pytest.raises(EvenPaletteError, match=r"this is 9\.9\.9"):
        executor_named(f"dask:{cluster}")


def test_a_cluster_that_loses_a_worker_goes_on_with_the_others(market: Path, tmp_path: Path) -> None:
    (tmp_path / "c").mkdir()
    with begun_cluster(tmp_path / "c") as (address, workers):
        running = executor_named(f"dask:{address}")
        while running.width < 2:
            running.close()
            time.sleep(0.5)
            running = executor_named(f"dask:{address}")
        killed: list[int] = []

        def kill(share: float) -> None:
            if share > 0 and not killed:
                workers[0].kill()
                killed.append(1)

        try:
            went_well(deliver_all(assets(market, tmp_path / "out"), FILES, running, progress=kill))
        finally:
            running.close()
    assert killed
    run(assets(market, tmp_path / "wanted"), FILES)
    for name in NAMES:
        assert tree(tmp_path / "out" / name) == tree(tmp_path / "wanted" / name)


@pytest.mark.parametrize(("words", "said"), [
    ("cloud", "no place to run jobs"), ("local:0", "from 1 to 256"), ("local:x", "from 1 to 256"), ("dask:", "address of a scheduler"),
])  # fmt: skip
def test_executors_that_there_are_not_are_said(words: str, said: str) -> None:
    with pytest.raises(EvenPaletteError, match=said):
        executor_named(words)
    assert list(EXECUTORS) == ["here", "local", "dask"]


def test_a_packed_project_is_the_project_and_nothing_else(market: Path, tmp_path: Path) -> None:
    key, blob = pack_project(market / "pennant")
    assert pack_project(market / "pennant") == (key, blob)
    unpack_project(blob, tmp_path / "there")
    assert pack_project(tmp_path / "there") == (key, blob)
    import io
    import zipfile

    more = io.BytesIO(blob)
    with zipfile.ZipFile(more, "a") as packed:
        packed.writestr("../out.txt", b"x")
    with pytest.raises(EvenPaletteError, match="other files than it names"):
        unpack_project(more.getvalue(), tmp_path / "no")
    with pytest.raises(EvenPaletteError, match="no packed project"):
        unpack_project(b"PK", tmp_path / "no")


def test_a_step_that_is_not_installed_refuses_the_job_by_name(market: Path, tmp_path: Path) -> None:
    folder = tmp_path / "pennant"
    shutil.copytree(market / "pennant", folder)
    document = json.loads((folder / "project.json").read_text())
    document["sheets"][0]["steps"][0]["kind"] = "dents"
    (folder / "project.json").write_text(json.dumps(document))
    (report,) = run([Asset("pennant", folder, tmp_path / "out")], FILES)
    assert report.status == FAILED
    assert "'dents', which is not installed" in report.error


def test_watch_delivers_when_something_is_saved(market: Path, tmp_path: Path) -> None:
    shutil.copytree(market / "pennant", tmp_path / "pennant")
    words = ["watch", str(tmp_path / "pennant"), "--out", str(tmp_path / "out"), "--size", "64", "--once"]
    process = subprocess.Popen([sys.executable, "-m", "evenpalette", *words], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    try:
        assert "new files" in process.stdout.readline()
        with evenpalette.open(tmp_path / "pennant") as project:
            project.variants["Market Red"]["Field tint"] = "#00ff00"
            project.save()
        line = process.stdout.readline()
        assert "1 projects" in line
        assert "0 projects unchanged" in line
        assert process.wait(60) == 0
    finally:
        process.kill()


def test_a_task_has_threads_limits_and_pictures_of_its_own() -> None:
    """Two at once in one process: neither sees what the other has, the pieces of each see theirs, and the process has
    what it had."""
    told: dict[str, list[object]] = {}
    meet = threading.Barrier(2)
    plane = np.zeros((64, 64), np.uint8)

    def task(name: str, factor: float, count: int) -> None:
        seen: list[object] = []

        def piece(_: int) -> None:
            meet.wait(20) if not seen else None
            seen.append(
                (limits().image_side_texels, limits().mesh_faces, threads_of_work(), id(plane_at(plane, (8, 8))))
            )

        with threads(count), own_factor(factor), own_derived(DerivedPictures()):
            run_over([0], piece)
            run_over(range(8), lambda _: seen.append((limits().image_side_texels, limits().mesh_faces, threads_of_work(), id(plane_at(plane, (8, 8))))))  # fmt: skip
        told[name] = seen

    before = limits(), threads_of_work(), plane_at(plane, (8, 8))
    both = [threading.Thread(target=task, args=given) for given in (("one", 2.0, 2), ("other", 8.0, 3))]
    for thread in both:
        thread.start()
    for thread in both:
        thread.join()
    one, other = (set(told[name]) for name in ("one", "other"))
    assert len(one) == len(other) == 1
    (_, faces, count, held), (_, more_faces, more, others) = *one, *other
    assert (faces, more_faces) == (2 * before[0].mesh_faces, 8 * before[0].mesh_faces)
    assert (count, more) == (2, 3)
    assert len({held, others, id(before[2])}) == 3
    assert (limits(), threads_of_work()) == before[:2]
    assert plane_at(plane, (8, 8)) is before[2]
