"""Kinds from files: a folder that is not ours adds them, and what is broken is named and left out."""

import json
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.delivery.targets import TARGETS
from evenpalette.core.document.state import State
from evenpalette.core.edits.regions import source_said, with_regions
from evenpalette.core.errors import EvenPaletteError, ImageFileError, MeshFileError, ProjectError, RegistryError
from evenpalette.core.findings.findings import find_all, mend_for
from evenpalette.core.findings.kind import Weight
from evenpalette.core.findings.kinds import FINDINGS
from evenpalette.core.findings.ranking import weight
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.mesh.readers import READERS
from evenpalette.core.raster.formats import FORMATS, picture_endings
from evenpalette.core.raster.image_read import decode_image
from evenpalette.core.raster.image_write import encode_image
from evenpalette.core.raster.raster import Raster
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.regions.region_set import Division, Region, RegionSet
from evenpalette.core.regions.source import BakeSettings
from evenpalette.core.regions.sources import SOURCES
from evenpalette.core.regions.sources.painted import PaintedSource
from evenpalette.core.registry import Registry
from evenpalette.core.storage.storage import Storage

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


STRIPES = '''
"""Stripes: every other column of texels."""
from typing import Literal
import numpy as np
from evenpalette.core.regions.source import Source, SourceKind

class StripesSource(Source):
    kind: Literal["stripes"] = "stripes"
    width: int = 1

def planes(sources, around):
    columns = np.arange(around.bake.size)
    return [np.tile(np.uint8(255) * (columns // s.width % 2 == 0), (around.bake.size, 1)).astype(np.uint8) for s in sources]

SOURCE = SourceKind("stripes", "Stripes", StripesSource, planes, lambda source, _: f"stripes of {source.width}")
'''


def test_a_source_of_regions_is_one_file_that_projects_keep(tmp_path: Path) -> None:
    (tmp_path / "stripes.py").write_text(STRIPES)
    assert SOURCES.take(tmp_path) == []
    source = SOURCES["stripes"].model(kind="stripes", width=4)
    regions = (
        Region(id="a", name="Stripes", flag="#ff0000", source=source),
        Region(id="b", name="Paint", flag="#00ff00", source=PaintedSource()),
    )
    bake = BakeSettings(size=16)
    state = with_regions(State(), RegionSet(divisions=(Division(regions=regions),), bake=bake))
    assert state.coverages["a"][0].tolist() == [255] * 4 + [0] * 4 + [255] * 4 + [0] * 4
    assert source_said(state, source) == "stripes of 4"
    storage = Storage(tmp_path / "project")
    storage.save(state)
    assert storage.open().project.regions.regions[0].source == source
    SOURCES.drop(tmp_path)
    with pytest.raises(ProjectError, match="stripes"):
        storage.open()


def test_a_finding_is_one_file_with_its_check_and_its_mend(tmp_path: Path) -> None:
    (tmp_path / "nameless.py").write_text(
        "from evenpalette.core.findings.kind import Cost, FindingKind, Weight\n"
        "def find(look):\n"
        "    if look.project.name == 'Untitled':\n"
        "        yield FINDING.at('The project has no name')\n"
        "def mend(state, finding):\n"
        "    return 'Name it', lambda s: s.with_project(name='Named')\n"
        "FINDING = FindingKind('nameless', 'asset', 5, Weight.TIDY, Cost.DESCRIPTION, find, mend)\n"
    )
    assert FINDINGS.take(tmp_path) == []
    (found,) = find_all(State())
    assert (found.code, found.station, weight(found)) == ("nameless", "asset", Weight.TIDY)
    mend = mend_for(State(), found)
    assert mend is not None
    assert find_all(mend[1](State())) == []
    FINDINGS.drop(tmp_path)
    assert find_all(State()) == []


def test_a_target_is_one_file_that_a_delivery_writes(tmp_path: Path, lantern: State) -> None:
    own, out = tmp_path / "own", tmp_path / "out"
    own.mkdir()
    (own / "names.py").write_text(
        "from evenpalette.core.delivery.target import Target\n"
        "def write(plan, delivered, folder, progress):\n"
        "    text = ', '.join(f'{v.name}: {len(delivered.maps.get((v.id, s.id), {}))}' for v in plan.variants for s in plan.sheets)\n"
        "    (folder / 'names.txt').write_text(text)\n"
        "TARGET = Target('names', 'Names', 'The names of all variants', 30, write)\n"
    )
    assert TARGETS.take(own) == []
    one = lantern.project.variants[0]
    written = deliver(lantern, out, variants=[one.id], targets=["names", "images"], longest=32).files
    assert sorted(path.name for path in written) == ["base_color.png", "names.txt"]
    assert (out / "names.txt").read_text() == f"{one.name}: 1", "images come first, whatever the order asked"
    TARGETS.drop(own)
    with pytest.raises(EvenPaletteError, match=r"'names' is no target\. There are images, kit"):
        deliver(lantern, out, targets=["names"])
    # A kit by itself says that there are no pictures.
    deliver(lantern, tmp_path / "kit", variants=[one.id], targets=["kit"], kit_longest=32)
    said = json.loads((tmp_path / "kit" / "kit" / "parameters.json").read_text())
    assert [(v["name"], v["folder"], v["maps"]) for v in said["variants"]] == [(one.name, "", {})]
    assert not (tmp_path / "kit" / "variants").exists()


def test_a_reader_of_meshes_is_one_file(tmp_path: Path) -> None:
    (tmp_path / "tri.py").write_text(
        "import numpy as np\n"
        "from evenpalette.core.mesh.mesh import build_mesh\n"
        "from evenpalette.core.mesh.reader import MeshReader\n"
        "def parse(content, name, uv_set):\n"
        "    points = np.array(content.decode().split(), float).reshape(-1, 3)\n"
        "    return build_mesh(name, points, np.arange(len(points)).reshape(-1, 3))\n"
        "READER = MeshReader('tri', ('.tri',), parse)\n"
    )
    with pytest.raises(MeshFileError, match="meshes can be read from"):
        parse_mesh(b"0 0 0 1 0 0 0 1 0", "a.tri")
    assert READERS.take(tmp_path) == []
    assert parse_mesh(b"0 0 0 1 0 0 0 1 0", "a.tri").face_count == 1
    with pytest.raises(MeshFileError, match=r"a\.tri is damaged"):
        parse_mesh(b"0 0", "a.tri")
    READERS.drop(tmp_path)


def test_a_format_of_pictures_is_one_file(tmp_path: Path) -> None:
    """Netpbm's gray pictures: read, written, offered by their ending, and damaged ones said to be so."""
    (tmp_path / "pgm.py").write_text(
        "import numpy as np\n"
        "from evenpalette.core.raster.picture_format import PictureFormat\n"
        "def decode(content, name, allow):\n"
        "    _, width, height, _, rest = content.split(maxsplit=4)\n"
        "    return np.frombuffer(rest, np.uint8).reshape(int(height), int(width))\n"
        "def encode(raster):\n"
        "    return f'P5 {raster.width} {raster.height} 255 '.encode() + raster.pixels[..., 0].tobytes()\n"
        "FORMAT = PictureFormat('pgm', 'PGM', 5, ('.pgm',), lambda c: c[:2] == b'P5', decode, encode)\n"
    )
    raster = Raster.gray(np.arange(65, 125, dtype=np.uint8).reshape(6, 10))
    with pytest.raises(ImageFileError, match=r"not as '\.pgm'"):
        encode_image(raster, ".pgm")
    with pytest.raises(ImageFileError, match=r"not an image that can be read\. PNG, JPEG, .* and TGA can\."):
        decode_image(b"P5 10 6 255 abc", "a.pgm")
    assert FORMATS.take(tmp_path) == []
    assert ".pgm" in picture_endings()
    assert (decode_image(encode_image(raster, ".pgm"), "a.pgm") == raster.pixels).all()
    with pytest.raises(ImageFileError, match=r"a\.pgm is damaged"):
        decode_image(b"P5 10 6 255 abc", "a.pgm")
    FORMATS.drop(tmp_path)
