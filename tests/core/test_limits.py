"""Small files that ask for much are refused before anything is taken for them, and only regular files are read."""

import io
import json
import os
import resource
import struct
import subprocess
import sys
import zlib
from pathlib import Path

import numpy as np
import OpenEXR
import pytest
import tifffile
from tests.hostile.files import write_project

from evenpalette.core import limits as limits_module
from evenpalette.core.errors import EvenPaletteError, ImageFileError, MeshFileError, ProjectError
from evenpalette.core.files import read_regular
from evenpalette.core.limits import Limits, limits
from evenpalette.core.mesh.read import parse_mesh, read_mesh
from evenpalette.core.raster.image_read import decode_image, read_image
from evenpalette.core.storage.storage import Storage


def png_of(width: int, height: int, depth: int, color: int) -> bytes:
    """A PNG whose header asks for a size; its data is a few bytes."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", width, height, depth, color, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"\0" * 99)) + chunk(b"IEND", b"")


def exr_of(parts: int, channels: int) -> bytes:
    plane = np.zeros((512, 512), np.float32)
    names = [f"c{i:03}" for i in range(channels)]
    made = [
        OpenEXR.Part(
            {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage},
            dict.fromkeys(names, plane),
            f"p{i}",
        )
        for i in range(parts)
    ]
    path = Path(os.environ["EVENPALETTE_STATE"]).with_name("many.exr")
    with OpenEXR.File(made) as file:
        file.write(str(path))
    return path.read_bytes()


def tiff_of(samples: int) -> bytes:
    stream = io.BytesIO()
    tifffile.imwrite(
        stream,
        np.zeros((2048, 2048, samples), np.uint8),
        compression="zlib",
        photometric="minisblack",
        planarconfig="contig",
    )
    return stream.getvalue()


def instanced_glb(nodes: int, faces: int) -> bytes:
    """One mesh that many nodes place: a few kilobytes that unfold."""
    positions = np.zeros((3, 3), np.float32)
    indices = np.zeros(faces * 3, np.uint8)
    blob = positions.tobytes() + indices.tobytes()
    blob += b"\0" * (-len(blob) % 4)
    tree = {
        "asset": {"version": "2.0"}, "scenes": [{"nodes": list(range(nodes))}], "nodes": [{"mesh": 0}] * nodes,
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}], "buffers": [{"byteLength": len(blob)}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": faces * 3}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5121, "count": faces * 3, "type": "SCALAR"},
        ],
    }  # fmt: skip
    text = json.dumps(tree).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(blob), 0x004E4942) + blob
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def grown_bytes(work) -> int:
    """By how much the most memory that this process ever had grew during some work."""
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    work()
    return (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) << 10


@pytest.mark.parametrize(
    ("content", "name", "problem"),
    [
        (lambda: png_of(16384, 8192, 16, 6), "deep.png", "would take"),
        (lambda: png_of(40000, 10, 8, 0), "long.png", "the limit is 16384 a side"),
        (lambda: exr_of(2, 300), "parts.exr", r"would take .*600 channels"),
        (lambda: exr_of(1, 700), "many.exr", "700 channels"),
        (lambda: tiff_of(200), "samples.tif", "would take|200 channels"),
        (lambda: instanced_glb(12000, 400), "many.glb", "triangles or more; the limit is"),
        (lambda: b"v 0 0 0\n" * 3 + b"f" + b" 1 2 3" * 2_000_000, "round.obj", "6,000,000 corners"),
        (lambda: b"v 0 0 0\n" * 2_600_000, "long.obj", "lines"),
        (lambda: b"ply\nformat binary_little_endian 1.0\nelement vertex 2000000000\nproperty float x\nend_header\n", "big.ply", "no room for"),
    ],
)  # fmt: skip
def test_what_unfolds_beyond_the_limits_is_refused_before_it_does(content, name: str, problem: str) -> None:
    data = content()

    def read() -> None:
        with pytest.raises(EvenPaletteError, match=problem):
            decode_image(data, name) if name.endswith((".png", ".exr", ".tif")) else parse_mesh(data, name)

    # Splitting the lines of an OBJ takes a few times its own size; nothing else takes anything.
    assert grown_bytes(read) < (64 << 20) + 12 * len(data)


def test_a_setting_raises_all_limits(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(limits_module, "_factor", 1.0)
    monkeypatch.setenv("EVENPALETTE_LIMITS", "3")
    assert limits().project_bytes == 3 * Limits().project_bytes
    assert limits().image_side_texels == Limits().image_side_texels
    for senseless in ("nan", "-4", "much", "inf"):
        monkeypatch.setenv("EVENPALETTE_LIMITS", senseless)
        assert limits() == Limits()


def test_raised_limits_cost_nothing(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("EVENPALETTE_LIMITS", "64")
    (tmp_path / "a.png").write_bytes(png_of(4, 4, 8, 0)[:-12])
    assert grown_bytes(lambda: read_regular(tmp_path / "a.png", limits().image_file_bytes)) < 8 << 20
    # A file that grows while it is read: more than it said, never more than is allowed.
    assert len(read_regular(tmp_path / "a.png", 1 << 40)) == (tmp_path / "a.png").stat().st_size


def test_all_rasters_of_a_project_share_one_budget(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    raw = write_project(tmp_path / "p")
    regions = raw["sheets"][0]["regions"]["divisions"][0]["regions"]
    region = regions[0]
    mask = raw["rasters"][region["id"]]
    for number in range(300):
        regions.append({**region, "id": f"more-{number}", "name": f"More {number}", "operations": []})
        raw["rasters"][f"more-{number}"] = mask
    (tmp_path / "p" / "project.json").write_text(json.dumps(raw))
    Storage(tmp_path / "p").open()
    monkeypatch.setattr("evenpalette.core.storage.budget.limits", lambda: Limits(project_bytes=300 * 16 * 16))
    with pytest.raises(ProjectError, match="take more than"):
        Storage(tmp_path / "p").open()


def test_pipes_devices_and_folders_are_not_waited_for(tmp_path: Path) -> None:
    pipe = tmp_path / "pipe.png"
    os.mkfifo(pipe)
    # A reader that waits for a pipe never comes to the end of this test.
    for place in (pipe, Path("/dev/zero"), tmp_path):
        with pytest.raises(ImageFileError, match=r"not a regular file|Is a directory"):
            read_image(place)
    mesh = tmp_path / "pipe.obj"
    os.mkfifo(mesh)
    with pytest.raises(MeshFileError, match="not a regular file"):
        read_mesh(mesh)


def test_a_chain_of_three_thousand_variants_is_walked_once(tmp_path: Path) -> None:
    raw = write_project(tmp_path / "p")
    parameter = {"id": "p1", "name": "P", "type": "number", "default": 0.5}
    raw["parameters"].append(parameter)
    raw["variants"] = [
        {"id": f"v{i}", "name": f"V{i}", "parent": f"v{i - 1}" if i else None, "values": {"p1": i / 3000}}
        for i in range(3000)
    ]
    (tmp_path / "p" / "project.json").write_text(json.dumps(raw))
    state = Storage(tmp_path / "p").open()
    # Walking every chain to its root, and looking in each for what was seen before, would not end here.
    assert [state.values(f"v{i}")["p1"] for i in range(3000)] == [i / 3000 for i in range(3000)]


def test_a_library_that_complains_is_not_heard(tmp_path: Path) -> None:
    good = exr_of(1, 3)
    (tmp_path / "bad.exr").write_bytes(good[: len(good) // 2])
    code = "from evenpalette.cli import main; import sys; sys.exit(main(sys.argv[1:]))"
    words = ["gray", str(tmp_path / "bad.exr"), "--by", "mean", "--out", str(tmp_path / "g.png")]
    done = subprocess.run([sys.executable, "-c", code, *words], capture_output=True, text=True, check=False)
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1
