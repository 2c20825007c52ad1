"""Single verbs: what a second thread brings, and the memory of whole processes at 8192 x 8192."""

import subprocess
import sys
import tempfile
from pathlib import Path

import cv2
import numba
import numpy as np
import trimesh

from benchmarks.timing import speedup
from evenpalette.core.mesh.mesh import build_mesh
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.regions.dividing.bake import bake_faces
from evenpalette.core.regions.dividing.pick import pick_from
from evenpalette.core.regions.dividing.unmix import unmix
from evenpalette.core.tones.gray import to_gray

SIZE, LARGE = 4096, 8192
#: The peak memory of a process and of what it started, as the kernel counts it.
_PEAK = (
    "import resource, sys; from evenpalette.cli import main; code = main(sys.argv[1:]);"
    "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss); sys.exit(code)"
)


def _id_image(size: int) -> np.ndarray:
    image = np.zeros((size, size, 3), np.uint8)
    image[:, : size // 2] = (255, 0, 0)
    for place, color in enumerate(((0, 255, 0), (0, 0, 255), (255, 255, 0), (0, 255, 255))):
        middle = (size // 5 * (place + 1), size // 3 + place * size // 12)
        cv2.circle(image, middle, size // 9, color, -1, cv2.LINE_AA)
    return image


def threads() -> None:
    """Two threads against one."""
    image = _id_image(SIZE)
    noisy = Raster(np.random.default_rng(0).integers(0, 256, (SIZE, SIZE, 3), np.uint8), Encoding.SRGB)
    speedup(f"Pick on {SIZE}, two threads", lambda n: pick_from(noisy, (255, 0, 0), 48, 208, workers=n))
    speedup(f"Gray (OKLab) on {SIZE}, two threads", lambda n: to_gray(noisy, "oklab", workers=n), runs=3)

    def unmixed(count: int) -> None:
        numba.set_num_threads(count)
        unmix(image, [(0, 0, 0), (255, 0, 0), (0, 255, 0), (0, 0, 255), (255, 255, 0), (0, 255, 255)])
        numba.set_num_threads(numba.config.NUMBA_NUM_THREADS)

    speedup(f"Unmix on {SIZE}, two threads", unmixed)
    ball = trimesh.creation.icosphere(subdivisions=6)
    uv = (ball.vertices[:, :2] + 1) / 2
    mesh = build_mesh("ball", ball.vertices, ball.faces, uvs=uv[ball.faces])
    labels = (np.arange(len(ball.faces)) % 7).astype(np.int32)
    speedup(f"Bake into {SIZE}, two threads", lambda n: bake_faces(mesh, labels, 7, size=SIZE, workers=n), runs=3)


def memory() -> None:
    """Peak memory of verbs at 8192."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        cv2.imwrite(str(folder / "id.png"), _id_image(LARGE)[..., ::-1])
        ball = trimesh.creation.icosphere(subdivisions=4)
        uv = (ball.vertices[:, :2] + 1) / 2
        lines = [f"v {x} {y} {z}" for x, y, z in ball.vertices] + [f"vt {u} {v}" for u, v in uv]
        for face, (a, b, c) in enumerate(ball.faces + 1):
            lines += [f"usemtl m{face * 7 // len(ball.faces)}", f"f {a}/{a} {b}/{b} {c}/{c}"]
        (folder / "ball.obj").write_text("\n".join(lines))
        image, out = str(folder / "id.png"), str(folder / "out.png")
        for words in (
            ["bake", str(folder / "ball.obj"), "--from", "material", "--size", str(LARGE), "--out", out],
            ["gray", image, "--by", "oklab", "--out", out], ["pick", image, "--color", "#ff0000", "--out", out],
            ["unmix", image, "--out", str(folder / "u")], ["split", image, "--as", "six", "--out", str(folder / "s")],
        ):  # fmt: skip
            done = subprocess.run([sys.executable, "-c", _PEAK, *words], capture_output=True, text=True, check=False)
            peak = int(done.stdout.split()[-1]) / (1 << 20) if done.returncode == 0 else float("nan")
            word = "within" if peak <= 3 else "ABOVE"
            print(f"Peak memory of {words[0]} at {LARGE}: {peak:.2f} GiB, {word} the wanted 3 {done.stderr[:120]}")


def run() -> None:
    """Both."""
    threads()
    memory()


if __name__ == "__main__":
    run()
