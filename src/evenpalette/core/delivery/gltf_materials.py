"""Variants as materials of glTF 2.0: factors where nothing varies, textures that are shared by their content.

Khronos: glTF 2.0, section 3.9; KHR_materials_variants, _clearcoat, _specular, _anisotropy, _emissive_strength.
"""

import hashlib
from collections.abc import Mapping
from dataclasses import field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import decode_precisely
from evenpalette.core.dataclass import dataclass
from evenpalette.core.delivery.render import Map
from evenpalette.core.document.project import OpacityUse
from evenpalette.core.mesh.write_glb import Binary
from evenpalette.core.raster.formats.png import encode_png
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import (
    ANISOTROPY,
    ANISOTROPY_ANGLE,
    ATTRIBUTES,
    BASE_COLOR,
    COAT,
    COAT_ROUGHNESS,
    CUT,
    EMISSIVE,
    HIGHLIGHT_TINT,
    METALLIC,
    NORMAL,
    OCCLUSION,
    ROUGHNESS,
)

#: What of a surface glTF can say.
SAID = (
    BASE_COLOR,
    METALLIC,
    ROUGHNESS,
    OCCLUSION,
    NORMAL,
    EMISSIVE,
    COAT,
    COAT_ROUGHNESS,
    HIGHLIGHT_TINT,
    ANISOTROPY,
    ANISOTROPY_ANGLE,
)
_REPEAT, _CLAMP, _LINEAR, _TRILINEAR = 10497, 33071, 9729, 9987
Codes = NDArray[np.uint8]


def decoded(codes: NDArray) -> list[float]:
    """sRGB codes as linear numbers of a factor."""
    return [float(v) for v in decode_precisely(codes.astype(np.float64) / 255)]


@dataclass
class Materials:
    """Materials of a document as they come together. repeats: whether textures wrap."""

    binary: Binary
    repeats: bool
    materials: list[dict[str, Any]] = field(default_factory=list)
    textures: list[dict[str, Any]] = field(default_factory=list)
    images: list[dict[str, Any]] = field(default_factory=list)
    used: set[str] = field(default_factory=set)
    _known: dict[bytes, int] = field(default_factory=dict)

    @property
    def samplers(self) -> list[dict[str, Any]]:
        wrap = _REPEAT if self.repeats else _CLAMP
        return [{"magFilter": _LINEAR, "minFilter": _TRILINEAR, "wrapS": wrap, "wrapT": wrap}]

    def add(self, name: str, maps: Mapping[str, Map], opacity: OpacityUse) -> int:
        """A material of a variant's maps; returns its number."""
        made: dict[str, Any] = {"name": name, "pbrMetallicRoughness": self._pbr(maps)}
        if maps[BASE_COLOR].raster.channels == 4:
            made |= (
                {"alphaMode": "MASK", "alphaCutoff": CUT} if opacity is OpacityUse.CUT_OUT else {"alphaMode": "BLEND"}
            )
            made["doubleSided"] = True
        occlusion = _codes(maps, OCCLUSION)
        if occlusion is not None and not (occlusion == 255).all():
            made["occlusionTexture"] = self._texture(self._orm(maps), "occlusion, roughness, metallic")
        normal = maps.get(NORMAL)
        if normal is not None and np.ptp(normal.raster.pixels.reshape(-1, 3).astype(int), axis=0).any():
            made["normalTexture"] = self._texture(normal.raster.pixels, "normal")
        extensions: dict[str, Any] = {}
        self._emissive(made, extensions, maps)
        self._coat(extensions, maps)
        self._specular(extensions, maps)
        self._anisotropy(extensions, maps)
        if extensions:
            made["extensions"] = extensions
            self.used |= set(extensions)
        self.materials.append(made)
        return len(self.materials) - 1

    def _pbr(self, maps: Mapping[str, Map]) -> dict[str, Any]:
        base = maps[BASE_COLOR].raster.pixels
        made: dict[str, Any] = {}
        if (base == base[0, 0]).all():
            alpha = [float(base[0, 0, 3]) / 255] if base.shape[2] == 4 else [1.0]
            made["baseColorFactor"] = decoded(base[0, 0, :3]) + alpha
        else:
            made["baseColorTexture"] = self._texture(base, "base color")
        orm = self._orm(maps)
        if (orm[..., 1:] == orm[0, 0, 1:]).all():
            made |= {"metallicFactor": float(orm[0, 0, 2]) / 255, "roughnessFactor": float(orm[0, 0, 1]) / 255}
        else:
            made["metallicRoughnessTexture"] = self._texture(orm, "occlusion, roughness, metallic")
        return made

    def _orm(self, maps: Mapping[str, Map]) -> Codes:
        """Occlusion, roughness and metallic in one."""
        shape = maps[BASE_COLOR].raster.pixels.shape[:2]
        return np.stack([_plane(maps, key, shape) for key in (OCCLUSION, ROUGHNESS, METALLIC)], -1)

    def _emissive(self, made: dict[str, Any], extensions: dict[str, Any], maps: Mapping[str, Map]) -> None:
        glow = maps.get(EMISSIVE)
        if glow is None or not glow.raster.pixels.any():
            return
        pixels = glow.raster.pixels[..., :3]
        if (pixels == pixels[0, 0]).all():
            made["emissiveFactor"] = decoded(pixels[0, 0])
        else:
            made |= {"emissiveFactor": [1.0, 1.0, 1.0], "emissiveTexture": self._texture(pixels, "emissive")}
        if glow.strength > 1:
            extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": glow.strength}

    def _coat(self, extensions: dict[str, Any], maps: Mapping[str, Map]) -> None:
        coat = _codes(maps, COAT)
        if coat is None or not coat.any():
            return
        shape = coat.shape
        rough = _plane(maps, COAT_ROUGHNESS, shape)
        if (coat == coat[0, 0]).all() and (rough == rough[0, 0]).all():
            said: dict[str, Any] = {
                "clearcoatFactor": float(coat[0, 0]) / 255,
                "clearcoatRoughnessFactor": float(rough[0, 0]) / 255,
            }
        else:
            place = self._texture(np.stack([coat, rough, np.zeros_like(coat)], -1), "coat and its roughness")
            said = {
                "clearcoatFactor": 1.0,
                "clearcoatRoughnessFactor": 1.0,
                "clearcoatTexture": place,
                "clearcoatRoughnessTexture": place,
            }
        extensions["KHR_materials_clearcoat"] = said

    def _specular(self, extensions: dict[str, Any], maps: Mapping[str, Map]) -> None:
        tint = maps.get(HIGHLIGHT_TINT)
        if tint is None or (tint.raster.pixels == 255).all():
            return
        pixels = tint.raster.pixels[..., :3]
        if (pixels == pixels[0, 0]).all():
            extensions["KHR_materials_specular"] = {"specularColorFactor": decoded(pixels[0, 0])}
        else:
            extensions["KHR_materials_specular"] = {"specularColorTexture": self._texture(pixels, "highlight tint")}

    def _anisotropy(self, extensions: dict[str, Any], maps: Mapping[str, Map]) -> None:
        strength = _codes(maps, ANISOTROPY)
        if strength is None or not strength.any():
            return
        angle = _plane(maps, ANISOTROPY_ANGLE, strength.shape).astype(float) / 255 * 2 * np.pi
        if (strength == strength[0, 0]).all() and (angle == angle[0, 0]).all():
            said: dict[str, Any] = {
                "anisotropyStrength": float(strength[0, 0]) / 255,
                "anisotropyRotation": float(angle[0, 0]),
            }
        else:
            way = np.rint(np.stack([np.cos(angle), np.sin(angle)], -1) * 127.5 + 127.5).clip(0, 255).astype(np.uint8)
            packed = np.concatenate([way, strength[..., None]], -1)
            said = {"anisotropyStrength": 1.0, "anisotropyTexture": self._texture(packed, "anisotropy")}
        extensions["KHR_materials_anisotropy"] = said

    def _texture(self, pixels: NDArray, name: str) -> dict[str, int]:
        """A texture of these pixels, one for all that have the same."""
        content = np.ascontiguousarray(pixels)
        key = hashlib.sha256(repr(content.shape).encode() + content.tobytes()).digest()
        if key not in self._known:
            view = self.binary.view(encode_png(Raster(content, Encoding.DATA)))
            self.images.append({"bufferView": view, "mimeType": "image/png", "name": name})
            self.textures.append({"sampler": 0, "source": len(self.images) - 1})
            self._known[key] = len(self.textures) - 1
        return {"index": self._known[key]}


def _codes(maps: Mapping[str, Map], key: str) -> Codes | None:
    return maps[key].raster.pixels[..., 0] if key in maps else None


def _plane(maps: Mapping[str, Map], key: str, shape: tuple[int, ...]) -> Codes:
    """An attribute's codes, its neutral value where the recipe does not make it."""
    found = _codes(maps, key)
    return found if found is not None else np.full(shape, round(ATTRIBUTES[key].neutral[0] * 255), np.uint8)
