"""Bakes: rays against a bare embreex loop with the same directions, a whole bake, what the filter is worth, memory."""

import resource
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks.history import note
from benchmarks.timing import once, ratio
from evenpalette.core.baking.bake import BakeWish, around_of, bake
from evenpalette.core.baking.denoise import oidn_missing
from evenpalette.core.baking.kinds import BAKES
from evenpalette.core.baking.openness import cosine_way, openness, surface_at
from evenpalette.core.baking.points import Points, surface_points
from evenpalette.core.baking.sampling import start_of
from evenpalette.core.baking.tracing import Traced
from evenpalette.core.kernels import njit
from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.topology import Topology
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage

RAYS = 64


@njit(nogil=True)
def _ways(corners, normals, at, width, faces, shares, number, total, lift, origins, ways):  # type: ignore[no-untyped-def]
    """The same origins and directions as a bake has them."""
    surface, way = np.empty(15), np.empty(3)
    for i in range(at.size):
        surface_at(corners, normals, faces[i], shares[i, 0], shares[i, 1], surface)
        one, two, first = start_of(at[i] % width, at[i] // width, total)
        cosine_way(surface, one, two, first + number, way)
        for k in range(3):
            origins[i, k], ways[i, k] = surface[k] + lift * surface[6 + k], way[k]


def _bare(points: Points, traced: Traced, rays: int) -> list[tuple[NDArray[np.float32], NDArray[np.float32]]]:
    made = []
    for number in range(rays):
        origins, ways = np.empty((len(points), 3), np.float32), np.empty((len(points), 3), np.float32)
        _ways(
            points.corners, points.mesh.normals, points.at, points.shape[1], points.faces, points.shares, number, rays,
            traced.lift, origins, ways,
        )  # fmt: skip
        made.append((origins, ways))
    return made


def _lantern() -> tuple[Mesh, Topology]:
    with tempfile.TemporaryDirectory() as folder:
        state = Storage(copy_demo(Path(folder) / "demo", "moth-lantern")).open()
    assert state.mesh is not None
    return state.mesh.mesh, state.mesh.topology


def memory(size: int) -> None:
    """One bake, and what the process took at most; in a process of its own."""
    mesh, topology = _lantern()
    kind = BAKES["occlusion"]
    seconds = once(
        lambda: bake(BakeWish(kind, kind.values({"rays": RAYS, "reach": 0})), Texels(mesh, topology, (size, size)))
    )
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / (1 << 20)
    print(f"Occlusion of {size} with {RAYS} rays: {seconds:.0f} s, {most:.2f} GiB, wanted at most 3")


def run() -> None:
    """Print the ratios."""
    from embreex.mesh_construction import TriangleMesh
    from embreex.rtcore_scene import EmbreeScene

    mesh, topology = _lantern()
    kind = BAKES["occlusion"]
    texels = Texels(mesh, topology, (256, 256))
    points, traced = surface_points(texels), Traced(mesh)
    scene = EmbreeScene()
    held = TriangleMesh(scene, mesh.positions[mesh.faces].astype(np.float32))
    directions = _bare(points, traced, 16)

    def bare() -> None:
        for origins, ways in directions:
            scene.run(origins, ways, query="OCCLUDED")

    ratio(
        "Rays of a bake, directions included, against a bare embreex loop", lambda: list(openness(points, traced, rays=16)),
        bare, 1 / 0.8, 5,
    )  # fmt: skip
    whole = Texels(mesh, topology, (1024, 1024))
    many = surface_points(whole)
    part = _bare(many, traced, 4)

    def bare_whole() -> None:
        for _ in range(RAYS // 4):
            for origins, ways in part:
                scene.run(origins, ways, query="OCCLUDED")

    values = kind.values({"rays": RAYS, "reach": 0})
    ratio(
        f"Occlusion of 1024 with {RAYS} rays, filter and padding included, against bare rays",
        lambda: bake(BakeWish(kind, values), Texels(mesh, topology, (1024, 1024))), bare_whole, 1.3, 1,
    )  # fmt: skip
    del held

    def made(rays: int, denoiser: str) -> NDArray[np.float32]:
        return bake(BakeWish(kind, kind.values({"rays": rays, "reach": 0}), denoiser), texels).values[..., 0]

    truth, on = made(1024, "none"), texels.faces >= 0
    names = ["none", "own", *(() if oidn_missing() else ("oidn",))]
    for rays, denoiser in ((16, "none"), (128, "none"), *((16, name) for name in names[1:])):
        off = float(np.sqrt(((made(rays, denoiser) - truth)[on] ** 2).mean()))
        note(f"Off from 1,024 rays, {rays} rays, {denoiser}", off)
        wanted = ", wanted at most what 128 rays are off" if (rays, denoiser) == (16, "own") else ""
        print(f"Off from 1,024 rays at 256 texels (RMSE), {rays} rays, noise filter {denoiser}: {off:.4f}{wanted}")
    estimate = list(kind.make(around_of(BakeWish(kind, values), texels), kind.values({"rays": 1024, "reach": 0})))[-1]
    chance = float(np.sqrt((estimate.variance * 1024 / 128).mean()))
    print(f"128 rays by chance would be off by {chance:.4f}, by the variance that 1,024 tell")
    sys.stdout.flush()
    subprocess.run([sys.executable, "-m", "benchmarks.light", "4096"], check=False)


if __name__ == "__main__":
    memory(int(sys.argv[1])) if len(sys.argv) > 1 else run()
