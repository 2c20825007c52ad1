"""Compile every numba kernel once, so that the first use of a tool is not the slow one: `python -m
evenpalette.core.warmup`. Families that are asked for first come first."""

import os
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

import numpy as np

from evenpalette.core.baking.bake import BakeWish, bake
from evenpalette.core.baking.finer import Finer
from evenpalette.core.baking.glow import bounced
from evenpalette.core.baking.kinds import BAKES
from evenpalette.core.baking.points import surface_points
from evenpalette.core.baking.tracing import Traced
from evenpalette.core.color.difference import difference_of_linear
from evenpalette.core.color.encoding import encode_srgb_8bit
from evenpalette.core.crowd import copies, kept_apart
from evenpalette.core.kernels import mark_prepared
from evenpalette.core.mesh.closest import closest_faces
from evenpalette.core.mesh.mesh import build_mesh
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.topology import find_topology
from evenpalette.core.mesh.uv_coverage import SAMPLES, cover_texels
from evenpalette.core.mesh.uv_raster import face_map
from evenpalette.core.raster.mending.mend import mend
from evenpalette.core.raster.mending.settings import Mending
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import ATTRIBUTES
from evenpalette.core.recipe.binding import bind_recipe
from evenpalette.core.recipe.evaluate import evaluate_surface
from evenpalette.core.recipe.example import example_step
from evenpalette.core.recipe.recipe import Recipe
from evenpalette.core.recipe.sources import Sources
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.recipe.steps.levels import spread
from evenpalette.core.regions.checks.gaps import held_by
from evenpalette.core.regions.checks.specks import find_specks, thin_strips
from evenpalette.core.regions.dividing.flags import find_flags
from evenpalette.core.regions.dividing.pick import pick_coverages
from evenpalette.core.regions.dividing.unmix import unmix
from evenpalette.core.regions.operations.noise import tileable_noise
from evenpalette.core.regions.owners import owners
from evenpalette.core.regions.painting.warm import load_kernels
from evenpalette.core.tones.palettes.index_filtering import measure_index_art
from evenpalette.core.tones.palettes.mapping import Dither
from evenpalette.core.tones.palettes.path import short_path
from evenpalette.core.tones.palettes.reduce import reduce_pictures
from evenpalette.core.tones.palettes.strip import index_raster, strip_raster

_IMAGE = np.zeros((8, 8, 3), np.uint8)
_IMAGE[:, 4:] = (255, 0, 0)


def warm_up() -> None:
    """Run each kernel on a few texels, the families beside each other; compiled code is kept on disk by numba, and a
    mark beside it says that it is."""
    with ProcessPoolExecutor(min(os.cpu_count() or 1, len(_FAMILIES)), get_context("spawn")) as processes:
        for done in [processes.submit(family) for family in _FAMILIES]:
            done.result()
    mark_prepared()


def _warm_steps() -> None:
    """Every kind of step, with every way to read a texture."""
    gray, color = Raster.gray(np.full((8, 8), 128, np.uint8)), Raster(_IMAGE, Encoding.SRGB)
    placements = ("", "scale=2,2; wrap=mirror", "turn=0.1", "tiles=2,2")
    steps = [
        example_step(kind, example, ("a", "b"), placement)
        for kind in KINDS.values()
        for example in kind.examples
        for placement in placements
    ]
    bound = bind_recipe(Recipe(steps=tuple(steps)), ["a", "b"], {})
    planes = [np.full((8, 8), 200, np.uint8)] * 2
    deep = Raster(np.zeros((8, 8, 4), np.uint16), Encoding.SRGB)
    for base, texture in ((color, gray), (gray, color), (gray, deep), (gray, Raster(gray.as_unit(), Encoding.LINEAR))):
        evaluate_surface(bound, Sources(base, planes, textures={"t": texture}), ATTRIBUTES)
    spread(gray.as_unit(), {made.key: made.default for made in KINDS["levels"].inputs})


def _warm_regions() -> None:
    """Sources, operations, checks and painting of regions, and what the mesh is asked for."""
    planes = [np.full((8, 8), 200, np.uint8)] * 2
    find_flags(_IMAGE)
    pick_coverages(_IMAGE, [(255, 0, 0)], [10.0], [200.0])
    unmix(_IMAGE, [(255, 0, 0), (0, 0, 0)])
    triangle = np.array([[[0, 0], [1, 0], [0, 1]]], np.float32)
    face_map(triangle, 4, 4)
    for samples in SAMPLES:
        cover_texels(triangle, np.zeros(1, np.int32), 1, 4, samples)
    corners = np.concatenate([triangle[0], np.zeros((3, 1), np.float32)], 1)
    mesh = build_mesh("warm", corners, np.array([[0, 1, 2]]), uvs=triangle)
    closest_faces(mesh, corners)
    owners(planes)
    tileable_noise((4, 4), 2, 1, 0.5, 1)
    Texels(mesh, find_topology(mesh), (8, 8)).at_corners(triangle[..., 0])
    load_kernels()
    owner = np.zeros((8, 8), np.int16)
    owner[4:] = 1
    thin_strips(owner, np.ones((8, 8), bool))
    find_specks(owner, np.ones((8, 8), bool), 4)
    held_by({"a": planes[0]}, np.ones((8, 8), bool))


def _warm_tones() -> None:
    """Differences, palettes and mending."""
    light = _IMAGE.astype(np.float32)
    # Few texels are worked on by the thread that asks, many by all.
    for some in (light, np.zeros((256, 128, 3), np.float32)):
        difference_of_linear(some, some)
        encode_srgb_8bit(some)
    crowd = copies(9, "grid", 1.0)
    kept_apart(crowd["number"], crowd["place"], [1.0], 1.0)
    _warm_palettes(Raster(_IMAGE, Encoding.SRGB))
    for channels in (1, 3):
        mend(Raster(_IMAGE[..., :channels], Encoding.DATA), Mending(noise=1, flow=1))


def _warm_palettes(picture: Raster) -> None:
    """Reduction with and without alpha and weights, every dithering, a path through entries, every way to sample."""
    clear = Raster(np.dstack([picture.pixels, np.full((8, 8), 9, np.uint8)]), Encoding.SRGB)
    for raster in (picture, clear):
        for dither in Dither:
            made = reduce_pictures([raster], 2, dither=dither, importance=[np.ones((8, 8))])
    made = reduce_pictures([picture], 2)
    three = np.array([[0, 0, 0], [90, 0, 0], [255, 0, 0]], np.uint8)
    short_path(three, np.ones((3, 3)))
    measure_index_art(index_raster(made.indices[0], 2), strip_raster([made.palette]), picture)


def _warm_bakes() -> None:
    """Every kind of bake, of a mesh and of a finer one, and light that is gathered."""
    corners = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32)
    mesh = build_mesh("warm", corners, np.array([[0, 1, 2]]), uvs=corners[None, :, :2])
    texels = Texels(mesh, find_topology(mesh), (8, 8))
    for kind in BAKES.values():
        values = kind.values({"rays": 4, "ground": True})
        for finer in (None, Finer(mesh, 0.1))[kind.needs_finer :]:
            bake(BakeWish(kind, values, finer=finer, opacity=np.ones((8, 8), np.float32)), texels)
    light, flat = np.ones((8, 8, 3), np.float32), np.arange(64, dtype=np.int32).reshape(8, 8)
    for _ in bounced(surface_points(texels), Traced(mesh), light[..., :1], light, flat, bounces=1, rays=4):
        pass


_FAMILIES = (_warm_steps, _warm_regions, _warm_tones, _warm_bakes)

if __name__ == "__main__":
    warm_up()
