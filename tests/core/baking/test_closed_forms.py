"""Bakes against closed forms and quadrature: form factors, the furnace, Lambert's lamp, balls and slabs.

Form factors of an element to a disc and to rectangles: J. R. Howell, "A Catalog of Radiation Heat Transfer
Configuration Factors", B-12 and B-3, from memory, and by SciPy's quadrature of Lambert's law.
"""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from scipy.integrate import dblquad

from evenpalette.core.baking.bake import BakeWish, around_of, bake, casters_of
from evenpalette.core.baking.finer import Finer
from evenpalette.core.baking.glow import bounced, gathered
from evenpalette.core.baking.kinds import BAKES
from evenpalette.core.baking.openness import Estimate, openness
from evenpalette.core.baking.points import surface_points
from evenpalette.core.baking.tracing import Casters, Traced
from evenpalette.core.baking.vertices import openness_of_vertices
from evenpalette.core.errors import MeshFileError
from evenpalette.core.mesh.mesh import Mesh, build_mesh
from evenpalette.core.mesh.tangents import tangents
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.mesh.topology import find_topology
from evenpalette.core.storage.demo_files import copy_demo
from evenpalette.core.storage.storage import Storage

RAYS = 1024


def quads(*corners: list[tuple[float, float, float]]) -> Mesh:
    """Squares and rectangles, each in a column of the layout of its own, one material group each."""
    positions, faces, uvs = [], [], []
    width = 1 / len(corners)
    for number, quad in enumerate(corners):
        left, right = (number + 0.05) * width, (number + 0.95) * width
        place = [(left, 0.05), (right, 0.05), (right, 0.95), (left, 0.95)]
        first = len(positions)
        positions += quad
        for pick in ((0, 1, 2), (0, 2, 3)):
            faces.append([first + i for i in pick])
            uvs.append([place[i] for i in pick])
    groups = np.repeat(np.arange(len(corners)), 2)
    names = tuple(f"Quad {i}" for i in range(len(corners)))
    return build_mesh(
        "quads.obj", np.array(positions, np.float32), np.array(faces), uvs=np.array(uvs, np.float32), groups=groups,
        group_names=names,
    )  # fmt: skip


def floor(half: float, height: float = 0.0, at: tuple[float, float] = (0.0, 0.0)) -> list[tuple[float, float, float]]:
    """A square that faces up."""
    x, z = at
    return [
        (x - half, height, z - half), (x - half, height, z + half), (x + half, height, z + half),
        (x + half, height, z - half),
    ]  # fmt: skip


def ball(radius: float = 1.0, rings: int = 48, *, inward: bool = False) -> Mesh:
    """A lathed ball with one seam and smooth normals."""
    v, u = np.meshgrid(np.linspace(0, 1, rings + 1), np.linspace(0, 1, 2 * rings + 1), indexing="ij")
    up, around = np.pi * v, 2 * np.pi * u
    points = np.stack([np.sin(up) * np.cos(around), np.cos(up), np.sin(up) * np.sin(around)], -1)
    index = np.arange(points[..., 0].size).reshape(v.shape)
    a, b, c, d = index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1]
    faces = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])
    if inward:
        faces = faces[:, ::-1]
    flat = points.reshape(-1, 3)
    place = np.stack([0.05 + 0.9 * u, 0.05 + 0.9 * v], -1).reshape(-1, 2)
    return build_mesh(
        "ball.obj", (flat * radius).astype(np.float32), faces, uvs=place[faces].astype(np.float32),
        normals=(-flat if inward else flat)[faces].astype(np.float32), weld=True,
    )  # fmt: skip


def texels_of(mesh: Mesh, size: int = 32) -> Texels:
    return Texels(mesh, find_topology(mesh), (size, size))


def open_at(mesh: Mesh, place: tuple[float, float, float], size: int = 64, **how: float) -> float:
    """The openness near a place of the first square: the mean of its four nearest texels."""
    points = surface_points(texels_of(mesh, size))
    *_, found = openness(points, Traced(mesh), rays=RAYS, **how)
    off = np.linalg.norm(points.positions() - place, axis=1) + 1e9 * (points.faces > 1)
    near = np.argsort(off, kind="stable")[:4]
    return float(found.values[near, 0].mean())


def test_openness_is_the_form_factor_of_the_sky() -> None:
    assert open_at(quads(floor(1)), (0, 0, 0)) == 1
    wall = [(0.0, 0.0, -500.0), (0.0, 500.0, -500.0), (0.0, 500.0, 500.0), (0.0, 0.0, 500.0)]
    ground = [(0.0, 0.0, -500.0), (0.0, 0.0, 500.0), (4.0, 0.0, 500.0), (4.0, 0.0, -500.0)]
    assert open_at(quads(ground, wall), (0.05, 0, 0)) == pytest.approx(0.5, abs=0.01)
    # Under a disc of radius 1 at a height of 0.8: 1 - r^2 / (r^2 + h^2), Howell B-12.
    angle = np.linspace(0, 2 * np.pi, 97)[:-1]
    disc = np.stack([np.cos(angle), np.full(96, 0.8), np.sin(angle)], -1)
    base = quads(floor(0.02))
    assert base.uvs is not None
    fan = np.array([[4, 4 + i, 4 + i + 1] for i in range(1, 95)])
    under = build_mesh(
        "disc.obj", np.concatenate([base.positions, disc]), np.concatenate([base.faces, fan]),
        uvs=np.concatenate([base.uvs, np.full((94, 3, 2), -1, np.float32)]),
    )  # fmt: skip
    assert open_at(under, (0, 0, 0), 16) == pytest.approx(1 - 1 / (1 + 0.64), abs=0.01)


def test_a_closed_ball_is_dark_inside_and_fades_with_the_reach() -> None:
    room = ball(inward=True)
    points = surface_points(texels_of(room, 24))
    *_, found = openness(points, Traced(room), rays=64)
    assert found.values.max() == 0
    # A chord is 2 R cos: 1 - (d / reach)^2 of it is hidden, which leaves 2 R^2 / reach^2 in the cosine-weighted mean.
    *_, found = openness(points, Traced(room), rays=RAYS, reach=3.0)
    assert found.values.mean() == pytest.approx(2 / 9, abs=0.005)


def quadrature(place: np.ndarray, normal: np.ndarray, corner: np.ndarray, one: np.ndarray, two: np.ndarray) -> float:
    """The form factor of an element to a parallelogram by Lambert's law."""
    across = np.cross(one, two)

    def kernel(v: float, u: float) -> float:
        d = corner + u * one + v * two - place
        squared = d @ d
        return float(max(d @ normal, 0) * abs(d @ across) / (np.pi * squared * squared))

    return float(dblquad(kernel, 0, 1, 0, 1, epsabs=1e-7)[0])


@pytest.mark.parametrize(
    ("lamp", "corner", "one", "two"),
    [
        # Parallel, 0.7 above, and perpendicular with a common edge.
        ([(-0.5, 0.7, -0.5), (0.5, 0.7, -0.5), (0.5, 0.7, 0.5), (-0.5, 0.7, 0.5)], (-0.5, 0.7, -0.5), (1, 0, 0), (0, 0, 1)),
        ([(-0.5, 0.0, -0.5), (-0.5, 1.0, -0.5), (-0.5, 1.0, 0.5), (-0.5, 0.0, 0.5)], (-0.5, 0, -0.5), (0, 1, 0), (0, 0, 1)),
    ],
)  # fmt: skip
def test_a_square_lamp_lights_each_place_by_its_form_factor(lamp, corner, one, two) -> None:  # type: ignore[no-untyped-def]
    mesh = quads(floor(0.5), lamp)
    texels = texels_of(mesh, 32)
    points = surface_points(texels)
    sent = (mesh.groups[np.maximum(texels.faces, 0)] == 1).astype(np.float32)
    sent = np.asarray(np.take(sent, texels.gutter_source))[..., None]
    *_, found = gathered(points, Traced(mesh), sent, rays=4096)
    places, below = points.positions(), np.flatnonzero(points.faces < 2)
    for at in below[:: len(below) // 12]:
        truth = quadrature(
            places[at].astype(float), np.array([0, 1.0, 0]), *(np.array(v, float) for v in (corner, one, two))
        )
        assert found.light[at, 0] == pytest.approx(truth, abs=0.012)


def test_the_furnace_and_that_light_is_linear_in_its_lamps() -> None:
    room = ball(inward=True, rings=24)
    texels = texels_of(room, 24)
    points = surface_points(texels)
    flat = np.arange(24 * 24, dtype=np.int32).reshape(24, 24)
    white, rho = np.ones((24, 24, 1), np.float32), np.full((24, 24, 3), 0.6, np.float32)
    seen = dict(bounced(points, Traced(room), white, rho, flat, bounces=4, rays=64))
    for bounce, found in seen.items():
        # What arrives after n bounces: 1 + rho + ... + rho^n, toward 1 / (1 - rho).
        assert found.light.mean() == pytest.approx(sum(0.6**k for k in range(bounce + 1)), rel=0.02)
    upper = (np.arange(24)[:, None, None] < 9) * white
    both = np.concatenate([upper, white - upper], 2)
    *_, (_, apart) = bounced(points, Traced(room), both, rho, flat, bounces=2, rays=32)
    *_, (_, together) = bounced(points, Traced(room), white, rho, flat, bounces=2, rays=32)
    np.testing.assert_allclose(apart.light[:, :3] + apart.light[:, 3:], together.light, atol=1e-5)


def test_what_counts_hides_and_what_is_clear_does_not() -> None:
    mesh = quads(floor(0.2), floor(3, 0.5))
    points = surface_points(texels_of(mesh, 32))
    low = points.faces < 2
    clear = np.ones((32, 32), np.float32)
    clear[:, 16:] = 0

    def mean(casters: Casters) -> float:
        *_, found = openness(points, Traced(mesh, casters), rays=256)
        return float(found.values[low, 0].mean())

    assert mean(Casters()) < 0.05
    assert mean(Casters(opacity=clear)) == 1
    assert mean(Casters(opacity=0.5 * (1 + clear))) == pytest.approx(0.5, abs=0.02)
    assert mean(Casters(counts=mesh.groups, wants=mesh.groups)) == 1
    assert mean(casters_of(mesh, {}, None, ["quad 0"])) == 1
    assert mean(casters_of(mesh, {}, None, ["Quad 1"])) < 0.05
    with pytest.raises(MeshFileError, match="no material group 'Lid'"):
        casters_of(mesh, {}, None, ["Lid"])
    wall = quads([(0.0, 0.0, -1.0), (0.0, 1.0, -1.0), (0.0, 1.0, 1.0), (0.0, 0.0, 1.0)])
    standing = surface_points(texels_of(wall, 16))
    *_, found = openness(standing, Traced(wall, Casters(ground=0.0)), rays=1024)
    # A wall on an endless floor sees the sky with its upper half.
    assert found.values.mean() == pytest.approx(0.5, abs=0.01)


def test_curvature_and_thickness_by_hand() -> None:
    round_, radius = ball(1.0, rings=96), 0.2
    size = float(np.linalg.norm(round_.bounds[1] - round_.bounds[0]))
    kind = BAKES["curvature"]
    values = kind.values({"rays": 1024, "radius": radius / size})
    made = bake(BakeWish(kind, values, "none"), texels_of(round_, 16))
    # A ball of radius r about a place on one of radius R: 1/2 - 3 r / (16 R) of it is inside.
    assert made.values[4:12].mean() == pytest.approx(0.5 + 3 * radius / 16, abs=0.006)
    box = trimesh_box((2.0, 0.3, 2.0))
    thick = BAKES["thickness"]
    reach = 1.0 / float(np.linalg.norm(box.bounds[1] - box.bounds[0]))
    texels = texels_of(box, 64)
    made = bake(BakeWish(thick, thick.values({"rays": 64, "reach": reach}), "none"), texels)
    points = surface_points(texels)
    middle = (np.abs(points.positions()[:, [0, 2]]) < 0.6).all(1) & (np.abs(points.normals()[:, 1]) > 0.9)
    assert made.values.reshape(-1)[points.at[middle]] == pytest.approx(0.3, abs=0.003)


def trimesh_box(extents: tuple[float, float, float]) -> Mesh:
    """A box, each side in a cell of its own."""
    x, y, z = (e / 2 for e in extents)
    return quads(
        [(-x, y, -z), (-x, y, z), (x, y, z), (x, y, -z)], [(-x, -y, -z), (x, -y, -z), (x, -y, z), (-x, -y, z)],
        [(x, -y, -z), (x, y, -z), (x, y, z), (x, -y, z)], [(-x, -y, -z), (-x, -y, z), (-x, y, z), (-x, y, -z)],
        [(-x, -y, z), (x, -y, z), (x, y, z), (-x, y, z)], [(-x, -y, -z), (-x, y, -z), (x, y, -z), (x, -y, -z)],
    )  # fmt: skip


def test_normals_of_a_finer_ball_make_a_coarse_one_round() -> None:
    coarse, fine = ball(rings=8), ball(rings=96)
    texels = texels_of(coarse, 128)
    kind = BAKES["normal"]
    made = bake(BakeWish(kind, {}, finer=Finer(fine, 0.2)), texels)
    points = surface_points(texels)
    stored = made.values.reshape(-1, 3)[points.at] * 2 - 1
    frame = tangents(coarse)
    tangent, normal = points.carried(frame[..., :3]), points.carried(coarse.normals)
    across = np.cross(normal, tangent) * frame[points.faces, 0, 3][:, None]
    ways = stored[:, :1] * tangent + stored[:, 1:2] * across + stored[:, 2:] * normal
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    # Each place looks straight away from the middle, as the fine ball does there.
    out = points.positions() / np.linalg.norm(points.positions(), axis=1, keepdims=True)
    angle = np.degrees(np.arccos(np.clip((ways * out).sum(1), -1, 1)))
    body = np.abs(out[:, 1]) < 0.9
    assert np.quantile(angle[body], 0.99) < 1.5


def test_light_agrees_on_both_sides_of_a_seam() -> None:
    """A lathed body on a ground: at the seam the first and the last column are the same place."""
    body = ball(rings=24)
    kind = BAKES["occlusion"]
    made = bake(BakeWish(kind, kind.values({"rays": 256, "ground": True, "reach": 0})), texels_of(body, 128))
    plane = made.values[..., 0]
    # Bilinear reads at u = 0.05 and u = 0.95, where the seam lies.
    first, last = 0.05 * 128 - 0.5, 0.95 * 128 - 0.5
    left = plane[:, 5] * (1 - first % 1) + plane[:, 6] * (first % 1)
    right = plane[:, int(last)] * (1 - last % 1) + plane[:, int(last) + 1] * (last % 1)
    rows = slice(12, 116)
    assert np.abs(left - right)[rows].max() < 0.03
    # As symmetric as the body is: every column is the same.
    spread = plane[rows, 8:120].std(1)
    assert spread.max() < 0.02
    # Half of the sky is open at the height of the middle.
    assert plane[64, 20:100].mean() == pytest.approx(0.5, abs=0.03)


def test_the_filter_takes_out_noise_and_leaves_edges() -> None:
    """Sixteen rays with it are nearer to a thousand than without, and a contact is as sharp as it was."""
    mesh = quads(floor(1), [(0.0, 0.0, -0.6), (0.0, 0.7, -0.6), (0.0, 0.7, 0.6), (0.0, 0.0, 0.6)])
    texels, kind = texels_of(mesh, 256), BAKES["occlusion"]

    def made(rays: int, denoiser: str) -> np.ndarray:
        values = kind.values({"rays": rays, "reach": 0})
        return bake(BakeWish(kind, values, denoiser), texels).values[..., 0]

    truth, on = made(1024, "none"), texels.faces >= 0

    def off(plane: np.ndarray) -> float:
        return float(np.sqrt(((plane - truth)[on] ** 2).mean()))

    clean = made(16, "own")
    assert off(clean) < off(made(128, "none")) < off(made(16, "none"))

    def width(plane: np.ndarray) -> int:
        """Texels on the way from open floor to the foot of the wall, where it begins and where it ends."""
        return int(((plane[128, 8:120] > 0.6) & (plane[128, 8:120] < 0.9)).sum())

    assert width(clean) <= width(truth) + 2


def test_sixteen_filtered_rays_of_a_model_are_as_near_as_many_more(tmp_path: Path) -> None:
    """The pennant, whose texels see much of what their neighbors see: nearer than 128 rays of ours, which are evenly
    spread, and twice as near as 128 by chance, by the variance that 512 rays tell."""
    state, kind = Storage(copy_demo(tmp_path, "pennant")).open(), BAKES["occlusion"]
    assert state.mesh is not None
    texels = Texels(state.mesh.mesh, state.mesh.topology, (128, 128))

    def of(rays: int) -> Estimate:
        wish = BakeWish(kind, kind.values({"rays": rays}), "none")
        return list(kind.make(around_of(wish, texels), wish.values))[-1]

    truth, points = of(512), surface_points(texels)
    clean = bake(BakeWish(kind, kind.values({"rays": 16})), texels).values[..., 0].reshape(-1)[points.at]

    def off(values: np.ndarray) -> float:
        return float(np.sqrt(((values - truth.values[:, 0]) ** 2).mean()))

    assert off(clean) < off(of(128).values[:, 0])
    assert off(clean) < 0.5 * float(np.sqrt((truth.variance * 512 / 128).mean()))


def test_mirrored_islands_and_faces_without_area_are_baked_as_others_are() -> None:
    wall = [(0.0, 0.0, -0.6), (0.0, 0.7, -0.6), (0.0, 0.7, 0.6), (0.0, 0.0, 0.6)]
    mesh = quads(floor(1), wall)
    assert mesh.uvs is not None
    kind = BAKES["occlusion"]
    wish = BakeWish(kind, kind.values({"rays": 512, "reach": 0}), "none")
    plain = bake(wish, texels_of(mesh, 64)).values[..., 0]
    mirrored = replace(mesh, uvs=np.concatenate([mesh.uvs[:2] * [-1, 1] + [0.5, 0], mesh.uvs[2:]]).astype(np.float32))
    turned = bake(wish, texels_of(mirrored, 64)).values[..., 0]
    # The floor's island lies the other way around in its half of the map.
    np.testing.assert_allclose(turned[4:60, 3:29], plain[4:60, 3:29][:, ::-1], atol=0.04)
    # A sliver that has no area, in space or in the layout, changes nothing.
    faces = np.concatenate([mesh.faces, [[0, 1, 1], [0, 2, 1]]])
    uvs = np.concatenate([mesh.uvs, np.zeros((1, 3, 2), np.float32), np.full((1, 3, 2), 0.3, np.float32)])
    slivers = build_mesh(
        "slivers.obj", mesh.positions, faces, uvs=uvs, normals=np.concatenate([mesh.normals, mesh.normals[:2]])
    )
    made = bake(wish, texels_of(slivers, 64))
    np.testing.assert_allclose(made.values[..., 0][4:60, 3:29], plain[4:60, 3:29], atol=0.01)
    assert any("no area" in note for note in made.notes)
    aside = bake(
        wish,
        texels_of(replace(mesh, uvs=mesh.uvs + np.repeat([0.0, 3.0], [2, 2])[:, None, None].astype(np.float32)), 64),
    )
    assert any("outside of the UV tile" in note for note in aside.notes)
    over = bake(wish, texels_of(replace(mesh, uvs=np.concatenate([mesh.uvs[:2], mesh.uvs[:2]])), 64))
    assert any("on top of each other" in note for note in over.notes)
    with pytest.raises(MeshFileError, match="outside of the UV tile"):
        bake(wish, texels_of(replace(mesh, uvs=mesh.uvs + np.float32(5)), 64))


def test_vertex_colors_know_the_sky() -> None:
    mesh = quads(floor(1), floor(1, 0.01, (0.0, 0.0)))
    gray = openness_of_vertices(mesh, BAKES["occlusion"].values({"rays": 64, "reach": 0}))
    assert gray.shape == (4, 3)
    assert gray[:2].max() < 0.05
    assert gray[2:].min() == 1
