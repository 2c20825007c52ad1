"""What variants cost a game, by the ways to make them: on disk, in memory, a pixel, in materials and draw calls."""

from collections.abc import Sequence
from dataclasses import asdict

import numpy as np

from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.blocks import InBlocks, in_blocks, takes_blocks
from evenpalette.core.delivery.kit import build_shader
from evenpalette.core.delivery.kit_textures import kit_textures
from evenpalette.core.delivery.render import render_maps
from evenpalette.core.document.state import State
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.formats.png import encode_png
from evenpalette.core.recipe.attributes import BASE_COLOR
from evenpalette.core.recipe.shader import kit_table
from evenpalette.core.recipe.table import table_rows

#: A mip chain beside its first level.
_MIPS = 4 / 3
#: Bytes of a texel in BC7, and of one in four channels of 8 bits.
_BC, _PLAIN = 1, 4
#: Bytes of a DDS file before its blocks.
_HEADER = 148
#: A row of a strip: its entries in four channels.
_ENTRIES = 256 * 4


@dataclass(frozen=True)
class Cost:
    """One way for a number of variants. bytes_memory: as texels with mip levels; bytes_bc: the same in blocks where
    that does not harm. reads: textures a pixel. how: how the figures were come by."""

    way: str
    variants: int
    bytes_disk: int
    bytes_memory: int
    bytes_bc: int
    reads: int
    materials: int
    draws: int
    how: str

    def as_json(self) -> dict[str, object]:
        """As `cost --json` says it."""
        return asdict(self)


def costs(state: State, variants: int = 0, progress: Progress = no_progress) -> list[Cost]:
    """The ways for so many variants, 0 those that the project has, at least one; all sheets together. One variant is
    rendered and packed to be measured."""
    count = variants or max(1, len(state.project.variants))
    first = state.project.variants[0].id if state.project.variants else None
    painted_disk = painted_bytes = kit_disk = kit_memory = kit_bc = shared_disk = shared_bytes = 0
    blocks_disk = 0
    lost: list[InBlocks] = []
    regions = maps_count = kit_reads = index_texels = table = 0
    sheets = list(state.sheets())
    for number, on in enumerate(sheets):
        made = render_maps(on, first, on.attributes, None)
        # What is the same everywhere is a number, and planes of one channel share textures by fours.
        varying = {key: m for key, m in made.items() if key == BASE_COLOR or np.ptp(m.raster.pixels, axis=(0, 1)).any()}
        single = [key for key, m in varying.items() if m.raster.channels == 1]
        textures = len(varying) - len(single) + -(-len(single) // 4)
        maps_count = max(maps_count, textures)
        texels = made[BASE_COLOR].raster.width * made[BASE_COLOR].raster.height
        sizes = {key: len(encode_png(m.raster)) for key, m in varying.items()}
        painted_disk += sum(sizes.values())
        painted_bytes += texels * _PLAIN * textures
        shared_disk += sum(size for key, size in sizes.items() if key != BASE_COLOR)
        shared_bytes += texels * _PLAIN * (textures - 1)
        index_texels += texels
        shader = build_shader(on)
        textures_of_kit = kit_textures(on, shader)
        lost += in_blocks(textures_of_kit)
        for texture in textures_of_kit:
            said = texture.said
            kit_disk += len(texture.content)
            texels = said.size[0] * said.size[1]
            mips = _MIPS if said.mips else 1
            kit_memory += round(texels * said.channels * said.bits / 8 * mips)
            blocks = takes_blocks(texture)
            blocks_disk += round(texels * _BC * mips) + _HEADER if blocks else len(texture.content)
            kit_bc += round(texels * (_BC if blocks else said.channels * said.bits / 8) * mips)
        layout = kit_table(on.project.recipe)
        rows = table_rows(layout, [on.values(None)])
        table += rows.nbytes * (count + 1)
        stepped = sum(n for cost in shader.costs for _, n in cost.reads)
        kit_reads = max(kit_reads, stepped + len([s for s in shader.samplers if not s.startswith("ep_map_")]))
        regions += max(1, len(on.region_ids))
        progress((number + 1) / len(sheets))
    tone = sum(len(encode_png(on.base)) for on in sheets)
    entries = _ENTRIES * count
    return [
        Cost(
            "one painted texture a variant", count, painted_disk * count, round(painted_bytes * _MIPS) * count,
            round(painted_bytes / _PLAIN * _BC * _MIPS) * count, maps_count, count * len(sheets), count * len(sheets),
            "one variant's maps that are not the same everywhere, rendered and packed as PNG, single channels four to a texture; times the "
            "number of variants",
        ),
        Cost(
            "one material a part", count, shared_disk + tone, round((shared_bytes + index_texels * _PLAIN) * _MIPS),
            round((shared_bytes / _PLAIN + index_texels) * _BC * _MIPS), maps_count, regions * count, regions * count,
            "the gray and all maps but the color, once; a material and a draw call for each region of each variant; no soft borders, no steps",
        ),
        Cost(
            "this kit", count, kit_disk + table, kit_memory + table, kit_bc + table, kit_reads, len(sheets), len(sheets),
            "the kit's own files, whose planes of data share textures by fours, and a row of its table for each variant",
        ),
        Cost(
            "this kit in blocks", count, blocks_disk + table, kit_bc + table, kit_bc + table, kit_reads, len(sheets), len(sheets),
            f"the kit's textures of 8 bits as BC7 with mip levels, the others as they are; {_lost(lost)}",
        ),
        Cost(
            "index art", count, shared_disk + index_texels // 3 + entries, round((shared_bytes + index_texels) * _MIPS) + entries,
            round(shared_bytes / _PLAIN * _BC * _MIPS) + index_texels + entries, maps_count + 4, len(sheets), len(sheets),
            "estimated: an index texture of 8 bits at a third of its texels on disk, a row of a strip for each variant, four reads where it "
            "is filtered; 256 colors a variant, no steps",
        ),
    ]  # fmt: skip


def _lost(planes: Sequence[InBlocks]) -> str:
    """What blocks leave of the planes, in words."""
    if not planes:
        return "none of them takes blocks"
    worst = max(planes, key=lambda plane: plane.mean)
    mean = sum(plane.mean for plane in planes) / len(planes)
    return (
        f"measured: planes change by {mean:.1f} of 255 in the mean, most of all {worst.holds} by {worst.mean:.1f}, at most "
        f"{max(plane.worst for plane in planes)}; alone in BC4 it were {worst.alone:.1f}"
    )


def cheaper_from(found: Sequence[Cost]) -> int:
    """From how many variants on the kit takes less memory than painted textures; 0 where one texture set does
    already."""
    by_way = {cost.way: cost for cost in found}
    painted, kit = by_way["one painted texture a variant"], by_way["this kit"]
    each = painted.bytes_memory / painted.variants
    return max(0, int(kit.bytes_memory // max(each, 1)) + 1)
