"""Reduction against Pillow's median cut, restoring against NumPy's take, a mip chain in BC7, the fit of large
textures."""

import tempfile
import time
from dataclasses import replace
from pathlib import Path
from types import MappingProxyType

import cv2
import numpy as np
from PIL import Image
from skimage import data

from benchmarks.timing import ratio
from evenpalette.core.color.difference import ciede2000
from evenpalette.core.color.encoding import decode_srgb_8bit
from evenpalette.core.color.lab import linear_to_lab
from evenpalette.core.edits.tone import make_tone
from evenpalette.core.raster.compress import packed_and_back
from evenpalette.core.raster.mending.flow import smooth_along
from evenpalette.core.raster.mips import mip_chain
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage
from evenpalette.core.tones.palettes.reduce import reduce_pictures
from evenpalette.core.tones.palettes.strip import index_levels, restore, strip_raster


def _apart(first: np.ndarray, second: np.ndarray) -> float:
    return float(ciede2000(linear_to_lab(decode_srgb_8bit(first)), linear_to_lab(decode_srgb_8bit(second))).mean())


def _reduction() -> None:
    for name in ("astronaut", "coffee", "chelsea"):
        small = np.ascontiguousarray(getattr(data, name)())
        large = np.array(Image.fromarray(small).resize((2048, 2048), Image.Resampling.BICUBIC))
        for pixels in (small, large):
            raster = Raster(pixels, Encoding.SRGB)
            made = reduce_pictures([raster], 256)
            cut = Image.fromarray(pixels).quantize(256, method=Image.Quantize.MEDIANCUT, dither=Image.Dither.NONE)
            ours, theirs = _apart(made.palette[made.indices[0]], pixels), _apart(np.array(cut.convert("RGB")), pixels)
            words = f"{name} {pixels.shape[1]}x{pixels.shape[0]} to 256 colors"
            print(f"{words}: {ours / theirs:.2f} times the mean CIEDE2000 of median cut (wanted 0.85)")
            ratio(
                f"{words}, time", lambda r=raster: reduce_pictures([r], 256),  # type: ignore[misc]
                lambda p=pixels: Image.fromarray(p).quantize(256, method=Image.Quantize.MEDIANCUT, dither=Image.Dither.NONE),  # type: ignore[misc]
                0.5, runs=5,
            )  # fmt: skip


def _mending() -> None:
    """Smoothing along the flow against a bilateral filter of similar reach, on a texture of 2048."""
    picture = np.array(Image.fromarray(data.astronaut()).resize((2048, 2048), Image.Resampling.BICUBIC)) / np.float32(
        255
    )
    smooth_along(picture[:64, :64].copy(), 8)
    begun = time.perf_counter()
    smooth_along(picture, 8)
    print(
        f"flow smoothing of 2048: {picture.shape[0] * picture.shape[1] / (time.perf_counter() - begun) / 1e6:.2f} million texels a second"
    )
    ratio(
        "flow smoothing of 2048 and cv2.bilateralFilter",
        lambda: smooth_along(picture, 8),
        lambda: cv2.bilateralFilter(picture, 17, 0.1, 4.0),
        runs=3,
    )


def run() -> None:
    """Print the ratios."""
    _reduction()
    _mending()
    rng = np.random.default_rng(1)
    palette = rng.integers(0, 256, (256, 3)).astype(np.uint8)
    levels = rng.integers(0, 256, (4096, 4096)).astype(np.uint8)
    index, strip = Raster(levels[..., None], Encoding.DATA), strip_raster([palette])
    table = palette[np.argsort(index_levels(256))]
    ratio(
        "restoring an index texture of 4096",
        lambda: restore(index, strip),
        lambda: np.take(table, levels, axis=0),
        2.0,
        runs=5,
    )
    picture = np.array(Image.fromarray(data.astronaut()).resize((1024, 1024)))
    rgba = np.dstack([picture, np.full(picture.shape[:2], 255, np.uint8)])
    begun = time.perf_counter()
    chain = mip_chain(Raster(np.ascontiguousarray(rgba), Encoding.SRGB)).levels
    made = time.perf_counter()
    for level in chain:
        packed_and_back(level.pixels, "BC7", is_color=True)
    ended = time.perf_counter()
    print(
        f"mip chain of 1024 in BC7 and back: {ended - begun:.2f} s, of that the encoder {(ended - made) / (ended - begun):.0%}"
    )
    state = Storage(copy_demo(Path(tempfile.mkdtemp()))).open()
    make_tone(state)

    def enlarged(pixels: np.ndarray) -> np.ndarray:
        return np.ascontiguousarray(pixels.repeat(4, 0).repeat(4, 1))

    large = replace(
        state, coverages=MappingProxyType({k: enlarged(p) for k, p in state.coverages.items()}),
        textures=MappingProxyType({k: Raster(enlarged(r.pixels), r.encoding) for k, r in state.textures.items()}), tone=None,
    )  # fmt: skip
    begun = time.perf_counter()
    make_tone(large)
    print(f"the fit of 4096 with seven regions: {time.perf_counter() - begun:.1f} s (wanted 6)")


if __name__ == "__main__":
    run()
