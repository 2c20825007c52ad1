"""What the materials of a glTF 2.0 file say: textures in the roles that the file gives them, factors, how UVs are laid.

Source: glTF 2.0 specification, section 3.9; KHR_texture_transform; KHR_materials_emissive_strength;
KHR_materials_pbrSpecularGlossiness (its diffuse texture); EXT_texture_webp.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.errors import MeshFileError
from evenpalette.core.mesh.file_sheets import FileSheet, FileTexture, keep_plain
from evenpalette.core.mesh.gltf_file import GltfFile

_TRANSFORM = "KHR_texture_transform"
_ENDINGS = {"image/png": ".png", "image/jpeg": ".jpg", "image/webp": ".webp"}
#: Where a texture names its picture if not as glTF itself has it.
_OTHER_SOURCES = ("EXT_texture_webp", "KHR_texture_basisu")
_KTX2 = b"\xabKTX 20\xbb\r\n\x1a\n"
#: Where a material names its textures, and what each holds: names of the texture roles of a project.
_SLOTS = (
    (("pbrMetallicRoughness", "baseColorTexture"), "painted color"),
    (("extensions", "KHR_materials_pbrSpecularGlossiness", "diffuseTexture"), "painted color"),
    (("pbrMetallicRoughness", "metallicRoughnessTexture"), "packed data"),
    (("normalTexture",), "normal"),
    (("occlusionTexture",), "occlusion"),
    (("emissiveTexture",), "emissive"),
)  # fmt: skip


def material_name(gltf: GltfFile, index: int | None, fallback: str) -> str:
    """The name of a material's group."""
    if index is None:
        return fallback
    return str(gltf.items("materials")[index].get("name") or f"material {index + 1}")


def _at(tree: Any, path: tuple[str, ...]) -> Any:
    for key in path:
        tree = tree.get(key) if isinstance(tree, dict) else None
    return tree


def laid_by(gltf: GltfFile, material: int | None) -> tuple[int, NDArray | None]:
    """The UV set that a material's textures use, and their transform (2, 3), None where there is none."""
    tree = gltf.items("materials")[material] if material is not None else {}
    for path, _ in _SLOTS:
        info = _at(tree, path)
        if isinstance(info, dict):
            transform = _at(info, ("extensions", _TRANSFORM))
            own = transform.get("texCoord") if isinstance(transform, dict) else None
            uv_set = int(own if own is not None else info.get("texCoord") or 0)
            return max(0, min(uv_set, 7)), _matrix(transform) if isinstance(transform, dict) else None
    return 0, None


def _matrix(transform: dict[str, Any]) -> NDArray:
    """translation * rotation * scale of KHR_texture_transform; angles are counterclockwise with v down."""
    (x, y), (sx, sy), angle = (
        transform.get("offset", (0, 0)),
        transform.get("scale", (1, 1)),
        transform.get("rotation", 0),
    )
    cos, sin = np.cos(angle), np.sin(angle)
    return np.array([[cos * sx, sin * sy, x], [-sin * sx, cos * sy, y]], np.float64)


def sheets_of(gltf: GltfFile, used: tuple[str, ...]) -> tuple[list[FileSheet], list[str]]:
    """The groups that are used, those that name the same textures together, and what is left out, in words."""
    notes = [words for words in (_left_out(gltf),) if words]
    by_textures: dict[tuple, FileSheet] = {}
    plain: list[str] = []
    seen: dict[int, bytes] = {}
    for index, material in enumerate(gltf.items("materials")):
        name = material_name(gltf, index, "")
        if name not in used:
            continue
        key = tuple(_image_index(gltf, _at(material, path)) for path, _ in _SLOTS)
        if all(image is None for image in key):
            plain.append(name)
            continue
        held = by_textures.get(key)
        if held is not None:
            by_textures[key] = FileSheet(held.name, (*held.groups, name), held.textures, held.factors)
            continue
        textures, said = _textures(gltf, material, key, name, seen)
        notes += said
        by_textures[key] = FileSheet(name, (name,), tuple(textures), _factors(material, textures))
    sheets = list(by_textures.values())
    keep_plain(sheets, plain, notes)
    return sheets, notes


def _left_out(gltf: GltfFile) -> str:
    words = []
    if gltf.items("skins"):
        words.append("bones")
    if any(p.get("targets") for mesh in gltf.items("meshes") for p in mesh.get("primitives", [])):
        words.append("morph targets")
    if gltf.items("animations"):
        words.append("animations")
    return f"{' and '.join(words)} are left out; the mesh is in its rest" if words else ""


def _image_index(gltf: GltfFile, info: Any) -> int | None:
    """The picture behind a texture of a material."""
    if not isinstance(info, dict) or "index" not in info:
        return None
    texture = gltf.items("textures")[int(info["index"])]
    for source in (texture.get("source"), *(_at(texture, ("extensions", key, "source")) for key in _OTHER_SOURCES)):
        if source is not None:
            return int(source)
    return None


def _textures(
    gltf: GltfFile, material: dict[str, Any], key: tuple, name: str, seen: dict[int, bytes]
) -> tuple[list[FileTexture], list[str]]:
    found: list[FileTexture] = []
    notes: list[str] = []
    pbr = material.get("pbrMetallicRoughness") or {}
    occlusion = key[4]
    for (_, role), image in zip(_SLOTS, key, strict=True):
        if (
            image is None
            or (role == "occlusion" and image == key[2])
            or (role == "painted color" and any(t.role == role for t in found))
        ):
            continue
        try:
            content, file_name = _image(gltf, image, seen)
        except MeshFileError as error:
            if gltf.is_full:
                raise
            notes.append(str(error))
            continue
        if content.startswith(_KTX2):
            what = file_name or f"The {role} of {name}"
            notes.append(
                f"{what} is a KTX2 picture (Basis), which nothing here can decode: save it as PNG and bring that in"
            )
            continue
        channels: tuple[str, ...] = ()
        factor: tuple[float, ...] = ()
        if role == "painted color":
            factor = tuple(float(v) for v in pbr.get("baseColorFactor", (1, 1, 1, 1)))
        if role == "packed data":
            channels = ("occlusion" if occlusion == image else "", "roughness", "metallic")
            factor = (1.0, float(pbr.get("roughnessFactor", 1)), float(pbr.get("metallicFactor", 1)))
        if role == "emissive":
            strength = float(_at(material, ("extensions", "KHR_materials_emissive_strength", "emissiveStrength")) or 1)
            factor = tuple(float(v) * strength for v in material.get("emissiveFactor", (0, 0, 0)))
        known = {t.name for t in found}
        stem = file_name or f"{name}-{role.replace(' ', '-')}"
        found.append(FileTexture(stem if stem not in known else f"{role} {stem}", role, content, channels, factor))
    return found, notes


def _image(gltf: GltfFile, index: int, seen: dict[int, bytes]) -> tuple[bytes, str]:
    image = gltf.items("images")[index]
    uri = image.get("uri")
    if index not in seen:
        seen[index] = (
            bytes(gltf.view(int(image["bufferView"]))[0]) if "bufferView" in image else gltf.resource(str(uri))
        )
    ending = _ENDINGS.get(str(image.get("mimeType")), "")
    name = str(image.get("name") or "")
    if not name and uri and not uri.startswith("data:"):
        return seen[index], uri.rsplit("/", 1)[-1]
    return seen[index], name + ending if name and "." not in name[-5:] else name


def _factors(material: dict[str, Any], textures: list[FileTexture]) -> dict[str, tuple[float, ...]]:
    """Constants of attributes that no texture gives; glTF's own defaults are said too, for they differ from ours."""
    held = {channel for t in textures for channel in (*t.channels, t.role)}
    pbr = material.get("pbrMetallicRoughness") or {}
    found: dict[str, tuple[float, ...]] = {}
    if "roughness" not in held:
        found["roughness"] = (float(pbr.get("roughnessFactor", 1)),)
    if "metallic" not in held:
        found["metallic"] = (float(pbr.get("metallicFactor", 1)),)
    coat = _at(material, ("extensions", "KHR_materials_clearcoat"))
    if isinstance(coat, dict):
        found["coat"] = (float(coat.get("clearcoatFactor", 0)),)
        found["coat_roughness"] = (float(coat.get("clearcoatRoughnessFactor", 0)),)
    emissive = tuple(float(v) for v in material.get("emissiveFactor", (0, 0, 0)))
    if "emissive" not in held and any(emissive):
        strength = float(_at(material, ("extensions", "KHR_materials_emissive_strength", "emissiveStrength")) or 1)
        found["emissive"] = tuple(v * strength for v in emissive)
    return found
