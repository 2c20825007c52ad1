"""Small lit pictures of an asset, variant after variant, without a graphics card: for lists of many assets, scripts and
contact sheets."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import encode_srgb
from evenpalette.core.dataclass import dataclass
from evenpalette.core.document.project import OpacityUse
from evenpalette.core.document.state import State
from evenpalette.core.kernels import njit
from evenpalette.core.light.lamps import Light
from evenpalette.core.light.model import Finish, lit
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.core.mesh.rays import RayScene, first_hit, ray_room
from evenpalette.core.recipe.attributes import (
    ATTRIBUTES,
    BASE_COLOR,
    COAT,
    COAT_ROUGHNESS,
    CUT,
    EMISSIVE,
    METALLIC,
    OCCLUSION,
    OPACITY,
    ROUGHNESS,
)  # fmt: skip
from evenpalette.core.recipe.binding import NOW, Binder, Moment, binder_of
from evenpalette.core.recipe.evaluate import Evaluator
from evenpalette.core.values import Value
from evenpalette.core.variants.small_surface import small_sources
from evenpalette.core.vectors import unit

#: Rays a pixel and side; texels of the surface a pixel of the picture, and at most.
_SUPER, _TEXELS_A_PIXEL, _MOST_TEXELS = 2, 1.5, 1024


@njit(nogil=True, cache=True)
def _look(handle, nearest, eye, rays, width, height, faces, shares):  # type: ignore[no-untyped-def]
    """The face that each pixel shows, -1 for none, and the shares of its second and third corner."""
    ray, words, at = ray_room()
    origin, way = eye, np.empty(3)
    for y in range(height):
        for x in range(width):
            px, py = x + 0.5, height - (y + 0.5)
            for k in range(3):
                way[k] = rays[k, 0] * px + rays[k, 1] * py + rays[k, 2]
            face = first_hit(handle, nearest, ray, words, at, origin, way, np.float32(0.0), np.float32(1e30))
            faces[y, x] = face
            if face >= 0:
                shares[y, x, 0], shares[y, x, 1] = ray[15], ray[16]


@dataclass(frozen=True, eq=False)
class _Seen:
    """What of one sheet is seen. pixels: their places in the picture. uvs: float (n, 2). normals, to_eye: (n, 3)."""

    binder: Binder
    evaluator: Evaluator
    cuts: bool
    pixels: NDArray[np.int64]
    uvs: NDArray[np.float64]
    normals: NDArray[np.float64]
    to_eye: NDArray[np.float64]


class Sitting:
    """An asset before a camera: where each pixel looks is found once, then every variant is a picture. Holds small
    textures only, not the document. May be used from any thread, one picture at a time."""

    def __init__(self, state: State, size: int = 160, yaw: float | None = None, pitch: float | None = None) -> None:
        """size: pixels a side of the square picture. yaw, pitch: degrees, None is as Form begins."""
        self.size = size
        side = size * _SUPER
        self._side = side
        self._seen: list[_Seen] = []
        sheets = [sheet for sheet in state.sheets() if sheet.mesh is not None and sheet.mesh.mesh.uvs is not None]
        self._lies_flat = not sheets
        if not sheets:
            self._take_flat(state)
            return
        meshes = [sheet.mesh.mesh for sheet in sheets if sheet.mesh is not None]
        corners = np.concatenate([mesh.positions[mesh.faces] for mesh in meshes]).astype(np.float32)
        flat = corners.reshape(-1, 3)
        camera = OrbitCamera.around(flat.min(0), flat.max(0))
        begin = OrbitCamera(
            camera.target, camera.yaw if yaw is None else yaw, camera.pitch if pitch is None else pitch, camera.span
        )
        scene = RayScene(flat, np.arange(len(flat), dtype=np.int32).reshape(-1, 3))
        faces = np.empty((side, side), np.int64)
        shares = np.zeros((side, side, 2))
        _look(
            scene.handle, scene.nearest, begin.eye.astype(np.float64), begin.rays(side, side), side, side, faces, shares
        )
        first = 0
        for sheet, mesh in zip(sheets, meshes, strict=True):
            here = np.nonzero((faces >= first) & (faces < first + mesh.face_count))
            found = faces[here] - first
            b, c = shares[here].T
            weights = np.stack([1 - b - c, b, c], 1)
            assert mesh.uvs is not None
            uvs = np.einsum("nk,nkj->nj", weights, mesh.uvs[found].astype(np.float64))
            normals = np.einsum("nk,nkj->nj", weights, mesh.normals[found].astype(np.float64))
            places = np.einsum("nk,nkj->nj", weights, corners[found + first].astype(np.float64))
            to_eye = unit(begin.eye - places)
            normals = unit(normals)
            # What is seen from behind is lit from there.
            normals *= np.where((normals * to_eye).sum(1, keepdims=True) < 0, -1.0, 1.0)
            self._take(sheet, here[0] * side + here[1], uvs, normals, to_eye)
            first += mesh.face_count

    def _take_flat(self, state: State) -> None:
        """Without a mesh the texture plane is what is seen."""
        y, x = np.divmod(np.arange(self._side * self._side), self._side)
        uvs = np.stack([(x + 0.5) / self._side, (y + 0.5) / self._side], 1)
        up = np.tile([0.0, 0.0, 1.0], (len(x), 1))
        self._take(state, y * self._side + x, uvs, up, up)

    def _take(
        self, sheet: State, pixels: NDArray[np.int64], uvs: NDArray[np.float64], normals: NDArray[np.float64],
        to_eye: NDArray[np.float64],
    ) -> None:  # fmt: skip
        sources, _ = small_sources(sheet, min(round(self.size * _TEXELS_A_PIXEL), _MOST_TEXELS))
        wanted = tuple(
            key for key in (BASE_COLOR, METALLIC, ROUGHNESS, OCCLUSION, EMISSIVE, COAT, COAT_ROUGHNESS, OPACITY)
            if key == BASE_COLOR or key in sheet.attributes
        )  # fmt: skip
        cuts = sheet.sheet.opacity is not OpacityUse.OPAQUE
        binder = binder_of(sheet.sheet.steps, sheet.region_ids)
        self._seen.append(_Seen(binder, Evaluator(sources, wanted), cuts, pixels, uvs, normals, to_eye))

    def picture(self, values: Mapping[str, Value], light: Light | None = None, at: Moment = NOW) -> NDArray[np.uint8]:
        """With these values of the parameters, by id: uint8 RGBA (size, size, 4), sRGB, alpha not multiplied in."""
        lamps = light or Light()
        side = self._side
        colors, cover = np.zeros((side * side, 3)), np.zeros(side * side)
        for seen in self._seen:
            made = seen.evaluator(seen.binder(values, at))
            height, width = made[BASE_COLOR].shape[:2]
            column = np.clip((seen.uvs[:, 0] % 1.0 * width).astype(np.int64), 0, width - 1)
            row = np.clip((seen.uvs[:, 1] % 1.0 * height).astype(np.int64), 0, height - 1)
            texel = row * width + column

            def of(key: str, texel: NDArray[np.int64] = texel, made: dict = made) -> NDArray[np.float64]:
                if key not in made:
                    return np.asarray(ATTRIBUTES[key].neutral[0])
                return np.asarray(made[key].reshape(-1, made[key].shape[2])[texel, 0], np.float64)

            base = np.clip(made[BASE_COLOR].reshape(-1, 3)[texel], 0, 1).astype(np.float64)
            if self._lies_flat:
                light_out = base
            else:
                finish = Finish(
                    base, of(METALLIC), of(ROUGHNESS), of(OCCLUSION), of(COAT), of(COAT_ROUGHNESS)
                )  # fmt: skip
                light_out = lit(finish, seen.normals, None, seen.to_eye, lamps)
            if EMISSIVE in made:
                light_out = light_out + made[EMISSIVE].reshape(-1, 3)[texel]
            shown = of(OPACITY) >= CUT if seen.cuts and OPACITY in made else np.ones(len(texel), bool)
            colors[seen.pixels] = np.clip(light_out * 2.0**lamps.exposure, 0, 1) * shown[:, None]
            cover[seen.pixels] = shown
        share = cover.reshape(self.size, _SUPER, self.size, _SUPER).mean((1, 3))
        summed = colors.reshape(self.size, _SUPER, self.size, _SUPER, 3).mean((1, 3))
        mean = summed / np.maximum(share, 1e-6)[..., None]
        return np.rint(np.dstack([encode_srgb(mean), share]) * 255).astype(np.uint8)
