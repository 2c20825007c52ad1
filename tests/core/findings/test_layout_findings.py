"""What is doubtful in a layout is found before anything is written, and one click mends it."""

import json

import pytest

from evenpalette.core.document.layout_model import read_layout
from evenpalette.core.document.project import OpacityUse
from evenpalette.core.document.state import State
from evenpalette.core.edits.delivered import noted
from evenpalette.core.edits.layouts import layout_of, with_layout
from evenpalette.core.edits.parameters import update_parameter
from evenpalette.core.edits.recipe import add_step, set_opacity_use
from evenpalette.core.edits.variants import rename_variant
from evenpalette.core.findings.findings import find_all, mend_for
from evenpalette.core.recipe.parameters import parameter_uniform_names


def of(state: State, **file: object) -> State:
    text = json.dumps(
        {"format": "even-palette-layout", "version": 1, "name": "T", "files": [{"name": "{variant}_x"} | file]}
    )
    return with_layout(state, read_layout(text))


BASE = {"to": "rgb", "from": "attribute:base_color"}


@pytest.mark.parametrize(
    ("code", "file"),
    [
        ("layout-encoding", {"channels": [{"to": "r", "from": "region:Paper", "encode": "srgb"}]}),
        ("layout-encoding", {"channels": [{**BASE, "encode": "data"}]}),
        ("layout-padding", {"channels": [BASE], "format": "dds", "mips": True}),
        ("layout-constant", {"channels": [BASE, {"to": "a", "from": "attribute:opacity"}]}),
        ("layout-name", {"name": "lantern_x", "channels": [BASE]}),
        ("layout-alpha", {"channels": [BASE, {"to": "a", "from": "region:Paper"}]}),
        ("layout-alpha", {"channels": [BASE, {"to": "a", "from": "attribute:roughness"}], "format": "exr"}),
        ("layout-size", {"channels": [BASE], "format": "ktx2", "compression": "bc7", "size": 510}),
    ],
)  # fmt: skip
def test_each_is_found_alone_and_mended_by_one_click(lantern: State, code: str, file: dict) -> None:
    state = of(lantern, **file)
    found = [f for f in find_all(state) if f.code.startswith("layout")]
    assert [f.code for f in found] == [code]
    assert file.get("name", "{variant}_x") in found[0].text
    mend = mend_for(state, found[0])
    assert mend is not None
    mended = mend[1](state)
    assert not [f for f in find_all(mended) if f.code.startswith("layout")]
    assert layout_of(mended) is not None


def test_a_good_layout_and_none_have_nothing_to_say(lantern: State) -> None:
    good = of(
        lantern,
        channels=[BASE, {"to": "a", "from": "attribute:roughness", "invert": True}],
        format="dds",
        compression="bc7",
        mips=True,
        padding=16,
        size=512,
    )
    for state in (lantern, good):
        assert not [f for f in find_all(state) if f.code.startswith("layout")]


def test_opacity_of_an_opaque_sheet_and_two_files_of_one_name(lantern: State) -> None:
    cut = set_opacity_use(add_step(lantern, "cut_out", None), OpacityUse.OPAQUE)
    assert "opacity" in cut.attributes
    state = of(cut, channels=[BASE, {"to": "a", "from": "attribute:opacity"}])
    found = [f for f in find_all(state) if f.code.startswith("layout")]
    assert [f.code for f in found] == ["layout-opacity"]
    mended = mend_for(state, found[0])[1](state)
    assert [c.source for c in layout_of(mended).files[0].channels] == ["attribute:base_color"]
    twice = of(lantern, channels=[BASE])
    layout = layout_of(twice)
    twice = with_layout(twice, layout.model_copy(update={"files": layout.files * 2}))
    found = [f for f in find_all(twice) if f.code == "layout-name"]
    assert len(found) == 1
    mended = mend_for(twice, found[0])[1](twice)
    assert [f.name for f in layout_of(mended).files] == ["{variant}_x", "{variant}_x_2"]
    alike = noted(rename_variant(of(lantern, channels=[BASE]), lantern.project.variants[1].id, "Ember !"))
    assert "ember" in next(f.text for f in find_all(alike) if f.code == "layout-name")


def test_green_of_a_normal_goes_with_the_meshs_file(lantern: State) -> None:
    normal = {"to": "rg", "from": "attribute:normal", "green": "down"}
    down = of(lantern, channels=[normal])
    assert not [f for f in find_all(down) if f.code == "layout-normal"]
    asset = down.project.asset
    state = down.with_project(
        asset=asset.model_copy(update={"mesh": asset.mesh.model_copy(update={"source_path": "/of/a/lantern.GLB"})})
    )
    found = [f for f in find_all(state) if f.code == "layout-normal"]
    assert len(found) == 1
    assert layout_of(mend_for(state, found[0])[1](state)).files[0].channels[0].green == "up"


def test_a_uniform_that_was_delivered_by_another_name_is_found_and_called_so_again(lantern: State) -> None:
    assert not [f for f in find_all(noted(lantern)) if f.code == "renamed-uniform"]
    paper = next(p for p in lantern.project.parameters if p.name == "Paper tint")
    other = update_parameter(noted(lantern), paper.id, name="Shade of the paper")
    found = [f for f in find_all(other) if f.code == "renamed-uniform"]
    assert len(found) == 1
    assert "p_paper_tint" in found[0].text
    again = mend_for(other, found[0])[1](other)
    assert parameter_uniform_names(again.project.parameters)[paper.id] == "p_paper_tint"
    assert not [f for f in find_all(again) if f.code == "renamed-uniform"]
