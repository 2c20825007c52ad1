"""Many assets: forty projects in one process, in two, on a cluster, again, and after a shared color changed."""

import json
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import evenpalette
from benchmarks.history import note
from evenpalette.core.batch.deliver import deliver_all
from evenpalette.core.batch.delivery import Asset, AssetReport
from evenpalette.core.batch.executors import executor_named
from evenpalette.core.batch.wish import Wish
from evenpalette.core.delivery.layouts.named import layout_named
from evenpalette.core.storage.demo_files import copy_demo

PROJECTS, VARIANTS, SIZE = 40, 6, 1024
_DEMOS = ("moth-lantern", "pennant", "stall-sign", "tea-tin")


def market(folder: Path, count: int = PROJECTS) -> evenpalette.Collection:
    """The demos under so many names, each changed a little, six variants each; a red that a quarter follows."""
    demos = copy_demo(folder / "demos").parent
    folders = []
    for number in range(count):
        name = _DEMOS[number % len(_DEMOS)]
        place = folder / "market" / f"{name}-{number:02}"
        shutil.copytree(demos / name, place)
        with evenpalette.open(place) as project:
            project.name = f"{project.name} {number}"
            for variant in list(project.variants):
                for parameter in project.parameters:
                    project.part(parameter, variant)
            for extra in list(project.variants)[VARIANTS:]:
                del project.variants[extra]
            while len(project.variants) < VARIANTS:
                project.derive(next(iter(project.variants)), f"More {len(project.variants)}")
            color = next(key for key, p in project.parameters.items() if p.type == "color")
            for at, variant in enumerate(project.variants.values()):
                variant[color] = (
                    f"#{(37 * number + 60 * at) % 200 + 30:02x}{(91 * number) % 200 + 30:02x}{(53 * at) % 200 + 30:02x}"
                )
            project.save()
        folders.append(place)
    made = evenpalette.new_collection(folder / "market" / "market.collection.json", folders)
    made.share("Guild red", "#a7302b")
    for one in list(made)[::4]:
        with made.open(one) as project:
            color = next(key for key, p in project.parameters.items() if p.type == "color")
            first = next(iter(project.variants))
        made.follow("Guild red", one, color, first)
    return made


@contextmanager
def cluster(folder: Path) -> Iterator[str]:
    """A scheduler and two workers of one thread each."""
    said = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    place = folder / "scheduler.json"
    dask = [sys.executable, "-m", "dask"]
    running = [
        subprocess.Popen([*dask, "scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard", "--scheduler-file", str(place)], **said)  # type: ignore[call-overload]
    ]  # fmt: skip
    try:
        while not place.exists():
            time.sleep(0.1)
        running += [
            subprocess.Popen([*dask, "worker", "--scheduler-file", str(place), "--nthreads", "1", "--no-dashboard", "--local-directory", str(folder / f"worker-{n}")], **said)  # type: ignore[call-overload]
            for n in range(2)
        ]  # fmt: skip

        time.sleep(5)
        yield json.loads(place.read_text())["address"]
    finally:
        for process in running:
            process.kill()
            process.wait()


def delivered(collection: evenpalette.Collection, out: Path, executor: str) -> tuple[float, list[AssetReport]]:
    """Seconds of one delivery, workers started before."""
    wish = Wish.of(layout=layout_named(None, "packed"), size=SIZE)
    assets = [Asset(one, place, out / one) for one, place in collection.projects.items()]
    running = executor_named(executor)
    try:
        began = time.perf_counter()
        reports = deliver_all(assets, wish, running)
        seconds = time.perf_counter() - began
    finally:
        running.close()
    failed = [report.error for report in reports if report.error]
    assert not failed, failed[0]
    return seconds, reports


def run(count: int = PROJECTS) -> None:
    """Print the ratios."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        collection = market(folder, count)
        warm = evenpalette.open(next(iter(collection.projects.values())))
        warm.render(None, size=64)
        one, first = delivered(collection, folder / "one", "local:1")
        shutil.rmtree(folder / "one")
        files = sum(len(report.names) for report in first)
        seconds = [part.seconds for report in first for part in report.parts]
        size = sum(report.bytes for report in first)
        print(
            f"{count} projects, {len(seconds)} parts, {files} files, {size / 2**20:.0f} MiB; a part {sum(seconds) / len(seconds):.2f} s"
        )
        two, _ = delivered(collection, folder / "two", "local:2")
        note("Two local processes against one", one / two)
        print(
            f"Two local processes against one: {one / two:.2f} times as fast ({one:.0f} s, {two:.0f} s), wanted at least 1.7"
        )
        again, _ = delivered(collection, folder / "two", "local:2")
        note("A delivery without changes, of the first", again / two)
        print(f"Again without changes: {again:.2f} s, {again / two:.2%} of the first, wanted below 2%")
        collection.change("Guild red", "#2b5fa7")
        changed, reports = delivered(collection, folder / "two", "local:2")
        parts = sum(part.made for report in reports for part in report.parts)
        # Every variant that has the color, also those derived from the one that follows.
        wanted = sum(
            "#2b5fa7" in variant.values()
            for one in list(collection)[::4]
            for variant in collection.open(one).variants.values()
        )
        print(f"One shared color changed: {parts} of {len(seconds)} parts made, {wanted} depend on it; {changed:.1f} s")
        collection.change("Guild red", "#a7302b")
        with suppress(ImportError):
            import distributed  # noqa: F401 - is it there

            with cluster(folder) as address:
                far, _ = delivered(collection, folder / "far", f"dask:{address}")
            note("Dask with two workers against two local processes", two / far)
            print(f"Dask with two workers: {two / far:.2f} of two local processes ({far:.0f} s), wanted at least 0.85")
    code = "import time, numpy; t = time.process_time(); import evenpalette; print(time.process_time() - t)"
    took = float(subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout)
    code = code.replace("import evenpalette;", "import evenpalette; evenpalette.open;")
    whole = float(subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout)
    print(
        f"import evenpalette: {took:.3f} s of processor time above NumPy's, wanted at most 0.1 (with the first use of it {whole:.2f} s)"
    )


if __name__ == "__main__":
    run(int(sys.argv[1]) if len(sys.argv) > 1 else PROJECTS)
