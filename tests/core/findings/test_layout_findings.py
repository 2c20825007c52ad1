"""What is doubtful in a layout is found before anything is written, and one click mends it."""

import json

import pytest

from evenpalette.core.document.layout_model import read_layout
from evenpalette.core.document.state import State
from evenpalette.core.edits.layouts import layout_of, with_layout
from evenpalette.core.findings.findings import find_all, mend_for


def of(state: State, **file: object) -> State:
    text = json.dumps(
        {"format": "even-palette-layout", "version": 1, "name": "T", "files": [{"name": "{variant}_x", **file}]}
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
        ("layout-size", {"channels": [BASE], "format": "ktx2", "compression": "bc7", "size": 510}),
    ],
)  # fmt: skip
def test_each_is_found_alone_and_mended_by_one_click(lantern: State, code: str, file: dict) -> None:
    state = of(lantern, **file)
    found = [f for f in find_all(state) if f.code.startswith("layout")]
    assert [f.code for f in found] == [code]
    assert "{variant}_x" in found[0].text
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
