"""OpenUSD: read back by its own library: a variant set whose materials have the delivered textures."""

import sys
from pathlib import Path

import numpy as np
import pytest
from tests.helpers.projects import on_two_sheets, with_choices

from evenpalette.cli import main
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.document.state import State
from evenpalette.core.raster.image_read import read_image


def test_variants_bind_materials_with_the_delivered_textures(lantern: State, tmp_path: Path) -> None:
    usd = pytest.importorskip("pxr.Usd", reason="usd-core (extra 'usd') is not installed")
    from pxr import UsdGeom, UsdShade, UsdUtils

    state = on_two_sheets(with_choices(lantern)[0])
    variants = [v.id for v in state.project.variants[:3]]
    deliver(state, tmp_path, targets=["images", "usd"], longest=64, variants=variants)
    stage = usd.Stage.Open(str(tmp_path / "moth-lantern.usda"))
    root = stage.GetDefaultPrim()
    looks = root.GetVariantSets().GetVariantSet("look")
    assert looks.GetVariantNames() == ["ember", "harbour_night", "harbour_night_old"]
    assert state.mesh is not None
    meshes = [UsdGeom.Mesh(p) for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)]
    assert sum(len(m.GetFaceVertexCountsAttr().Get()) for m in meshes) == state.mesh.whole.mesh.face_count
    for name in looks.GetVariantNames():
        looks.SetVariantSelection(name)
        told = read_image(tmp_path / "variants" / name.replace("_", "-") / "sheet" / "base_color.png").pixels
        seen = set()
        for mesh in meshes:
            material = UsdShade.MaterialBindingAPI(mesh).ComputeBoundMaterial()[0]
            assert material.GetPrim().GetName().startswith(name)
            read = UsdShade.Shader(stage.GetPrimAtPath(material.GetPath().AppendChild("base_color")))
            if read and material.GetPrim().GetName().endswith("_0"):
                seen.add(read.GetInput("file").Get().path)
        (file,) = seen
        assert np.array_equal(read_image(tmp_path / file).pixels, told)
    assert "cannot say" in stage.GetMetadata("comment")
    failed = UsdUtils.ComputeAllDependencies(str(tmp_path / "moth-lantern.usda"))[2]
    assert not failed


def test_names_that_are_no_names_of_prims_and_two_that_become_alike(lantern: State, tmp_path: Path) -> None:
    usd = pytest.importorskip("pxr.Usd", reason="usd-core (extra 'usd') is not installed")
    names = ("12", "n 12", "<b>&")
    three = tuple(v.model_copy(update={"name": n}) for v, n in zip(lantern.project.variants, names, strict=False))
    state = lantern.with_project(name='3 "lanterns"', variants=three)
    deliver(state, tmp_path, targets=["usd"], longest=16)
    stage = usd.Stage.Open(str(tmp_path / "3-lanterns.usda"))
    assert stage.GetDefaultPrim().GetVariantSets().GetVariantSet("look").GetVariantNames() == ["b", "n_12", "n_12_2"]


def test_without_the_library_it_is_named(
    demo_folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setitem(sys.modules, "pxr", None)
    assert main(["export", str(demo_folder), "--out", str(tmp_path / "out"), "--target", "usd"]) == 2
    assert "evenpalette[usd]" in capsys.readouterr().err
