"""What variants cost: figures that can be counted are counted again here."""

import json
from pathlib import Path

import etcpak
import numpy as np
import pytest
import texture2ddecoder
from PIL import Image

from evenpalette.cli import main
from evenpalette.core.delivery.cost import cheaper_from, costs
from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.document.state import State


def test_the_kit_costs_what_its_files_take_and_every_way_says_how_it_was_counted(
    lantern: State, demo_folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    deliver(lantern, tmp_path / "out", targets=["kit"])
    kit = tmp_path / "out" / "kit"
    on_disk = sum(f.stat().st_size for f in (kit / "textures").iterdir()) + (kit / "variants.f32").stat().st_size
    said = json.loads((kit / "parameters.json").read_text())
    memory = sum(
        t["size"][0] * t["size"][1] * t["channels"] * t["bits"] // 8 * (4 / 3 if t["mips"] else 1)
        for t in said["textures"]
    )
    assert main(["cost", str(demo_folder), "--json"]) == 0
    found = {cost["way"]: cost for cost in json.loads(capsys.readouterr().out)}
    own = found["this kit"]
    assert own["bytes_disk"] == on_disk
    assert own["bytes_memory"] == pytest.approx(memory, rel=1e-3)
    assert (own["materials"], own["draws"], own["variants"]) == (1, 1, 12)
    steps = sum(step["cost"]["reads"] for step in said["steps"])
    assert own["reads"] == steps + sum(not t["sampler"].startswith("ep_map_") for t in said["textures"])
    # In blocks: the kit's own textures packed and unpacked here by programs that are not ours.
    blocks = found["this kit in blocks"]
    tone = next(t for t in said["textures"] if t["bits"] == 16)
    texels = 1024 * 1024
    # Besides the glow that is gathered, at half the size.
    assert blocks["bytes_memory"] == pytest.approx((texels * (3 + 2) + 512 * 512) * 4 / 3, rel=2e-3)
    assert tone["channels"] == 1
    worst, planes = 0, []
    for texture in said["textures"]:
        if texture["bits"] == 8:
            pixels = np.asarray(Image.open(kit / "textures" / texture["file"]).convert("RGBA"))
            height, width = pixels.shape[:2]
            weights = etcpak.BC7CompressBlockParams()
            (weights.init_perceptual_weights if texture["encoding"] == "srgb" else weights.init_linear_weights)()
            packed = etcpak.compress_bc7(pixels.tobytes(), width, height, weights)
            back = np.frombuffer(texture2ddecoder.decode_bc7(bytes(packed), width, height), np.uint8).reshape(
                height, width, 4
            )
            apart = np.abs(back[..., [2, 1, 0, 3]].astype(int) - pixels)[..., : texture["channels"]]
            worst = max(worst, apart.max())
            planes += list(apart.mean((0, 1)))
    assert f"at most {worst};" in blocks["how"]
    assert f"change by {np.mean(planes):.1f} of 255" in blocks["how"]
    assert all(cost["how"] for cost in found.values())
    painted = found["one painted texture a variant"]
    assert painted["materials"] == 12
    many = costs(lantern, 120)
    assert many[0].bytes_memory == 10 * painted["bytes_memory"]
    assert many[2].bytes_memory - own["bytes_memory"] == 108 * said["table"]["width"] * 16
    assert cheaper_from(many) == int(many[2].bytes_memory // (painted["bytes_memory"] / 12)) + 1
