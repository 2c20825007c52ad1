"""A whole delivery against writing the same arrays with OpenCV; blocks; what one changed variant costs; padding."""

import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import cv2
import numpy as np

from benchmarks.history import note
from benchmarks.timing import once, ratio
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.document.layout_model import read_layout
from evenpalette.core.edits.variants import set_value
from evenpalette.core.raster.compress import pack
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.raster.padding import padded
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage

MAPS = ("base_color", "roughness", "metallic", "normal", "emissive")
SIZE = 2048


def whole() -> None:
    """Twelve variants of the lantern, five attributes, PNG."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        state = Storage(copy_demo(folder / "demo", "moth-lantern")).open()
        begin = time.perf_counter()
        deliver(state, folder / "out", longest=SIZE, maps=MAPS, targets=["images"])
        ours = time.perf_counter() - begin
        arrays = [read_image(p).pixels for p in sorted((folder / "out" / "variants").rglob("*.png"))]
        (folder / "cv").mkdir()
        begin = time.perf_counter()
        with ThreadPoolExecutor(2) as pool:
            list(pool.map(lambda k: cv2.imwrite(str(folder / "cv" / f"{k}.png"), arrays[k]), range(len(arrays))))
        theirs = time.perf_counter() - begin
        label = f"A delivery of {len(arrays)} maps at {SIZE}, against writing them"
        print(
            f"{label}: {ours / theirs:.2f} times cv2.imwrite on two threads ({ours:.1f} s against {theirs:.1f} s), wanted at most 2.5"
        )
        note(label, ours / theirs)
        parameter = next(p for p in state.project.parameters if p.type.value == "color")
        changed = set_value(state, state.project.variants[3].id, parameter.id, "#123456")
        begin = time.perf_counter()
        report = deliver(changed, folder / "out", longest=SIZE, maps=MAPS, targets=["images"])
        print(f"  one variant changed: {time.perf_counter() - begin:.1f} s; {report.said}")
        text = '{"format": "even-palette-layout", "version": 1, "name": "b", "files": [{"name": "{variant}", "format": "dds", "compression": "bc7", "mips": true, "size": 1024, "channels": [{"to": "rgb", "from": "attribute:base_color"}]}]}'
        one = [state.project.variants[0].id]
        begin = time.perf_counter()
        deliver(state, folder / "bc7", layout=read_layout(text), variants=one)
        spent = time.perf_counter() - begin
        rgba = np.dstack([arrays[0][..., :3], np.full(arrays[0].shape[:2], 255, np.uint8)])[:1024, :1024]
        encoder = once(lambda: pack(np.ascontiguousarray(rgba), "BC7", is_color=True)) * 4 / 3
        print(
            f"  one map at 1024 as BC7 with levels: {spent:.1f} s, of that the encoder {min(1.0, encoder / spent):.0%}"
        )


def padding() -> None:
    """4096 texels, five attributes, against one distance transform with labels."""
    covered = np.zeros((4096, 4096), bool)
    for k in range(16):
        cv2.circle(view := covered.view(np.uint8), (500 + k % 4 * 1000, 500 + k // 4 * 1000), 380, 1, -1)
        covered = view.view(bool)
    picture = np.random.default_rng(0).integers(0, 256, (4096, 4096, 5), np.uint8)

    def pad() -> None:
        padded(picture, covered, 64)

    ratio(
        "Padding of 4096 for five attributes, against one distance transform", pad,
        lambda: cv2.distanceTransformWithLabels((~covered).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL), 3.0, runs=3,
    )  # fmt: skip


_LARGE = """
import json, resource, sys, tempfile
from pathlib import Path
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage
with tempfile.TemporaryDirectory() as name:
    state = Storage(copy_demo(Path(name) / "demo", "moth-lantern")).open()
    how = {"maps": state.attributes, "targets": ["images"]}
    if sys.argv[1] == "layout":
        from evenpalette.core.document.layout_model import read_layout
        files = [("color", "base_color", "roughness"), ("normal", "normal", "metallic"), ("light", "emissive", "coat"),
                 ("tint", "highlight_tint", "strands")]
        files = [
            {"name": "{variant}_" + f, "channels": [{"to": "rgb", "from": "attribute:" + c}, {"to": "a", "from": "attribute:" + a}]}
            for f, c, a in files
        ]
        layout = {"format": "even-palette-layout", "version": 1, "name": "Large", "files": files}
        how = {"layout": read_layout(json.dumps(layout), "large")}
    deliver(state, Path(name) / "out", longest=8192, variants=[state.project.variants[0].id], **how)
    print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20)
"""


def large() -> None:
    """8192 texels with all attributes, and by a layout of four files: the most memory that it takes, in processes
    of their own."""
    for kind, words in (("maps", "all attributes as maps"), ("layout", "a layout of four files of four channels")):
        done = subprocess.run([sys.executable, "-c", _LARGE, kind], capture_output=True, text=True, check=True)
        most = float(done.stdout)
        print(f"8192 texels, {words}: at most {most:.2f} GiB, wanted at most 3")


def run() -> None:
    """Print them all."""
    whole()
    padding()
    large()


if __name__ == "__main__":
    run()
