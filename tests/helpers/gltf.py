"""glTF files, written by hand."""

import json
import struct

import cv2
import numpy as np

POSITIONS = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], np.float32)
UVS = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)
FACES = np.array([0, 1, 2, 0, 2, 3], np.uint16)


def png(color: tuple[int, ...], size: int = 8) -> bytes:
    pixels = np.full((size, size, len(color)), color, np.uint8)
    order = [2, 1, 0, 3][: len(color)]
    return cv2.imencode(".png", np.ascontiguousarray(pixels[..., order]))[1].tobytes()


class Writer:
    """Puts a glTF file together: parts of data become buffer views and accessors."""

    def __init__(self) -> None:
        self.tree: dict = {"asset": {"version": "2.0"}, "bufferViews": [], "accessors": [], "meshes": [], "nodes": []}
        self.blob = b""

    def view(self, data: bytes, **parts: object) -> int:
        self.blob += b"\0" * (-len(self.blob) % 4)
        self.tree["bufferViews"].append({"buffer": 0, "byteOffset": len(self.blob), "byteLength": len(data), **parts})
        self.blob += data
        return len(self.tree["bufferViews"]) - 1

    def accessor(self, values: np.ndarray, **parts: object) -> int:
        kind = {"f4": 5126, "u2": 5123, "i2": 5122, "u1": 5121, "i1": 5120}[values.dtype.str[1:]]
        width = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}[1 if values.ndim == 1 else values.shape[1]]
        view = self.view(np.ascontiguousarray(values).tobytes())
        self.tree["accessors"].append(
            {"bufferView": view, "componentType": kind, "count": len(values), "type": width, **parts}
        )
        return len(self.tree["accessors"]) - 1

    def square(
        self, material: int | None = None, *, uvs: np.ndarray = UVS, extra: dict | None = None, x: float = 0.0
    ) -> None:
        attributes = {
            "POSITION": self.accessor(POSITIONS + np.float32([x, 0, 0])),
            "TEXCOORD_0": self.accessor(uvs),
            **(extra or {}),
        }
        primitive: dict = {"attributes": attributes, "indices": self.accessor(FACES)}
        if material is not None:
            primitive["material"] = material
        self.tree["meshes"].append({"primitives": [primitive]})
        self.tree["nodes"].append({"mesh": len(self.tree["meshes"]) - 1})

    def image(self, content: bytes, name: str = "") -> int:
        """An image and a texture of it."""
        images, textures = self.tree.setdefault("images", []), self.tree.setdefault("textures", [])
        images.append({"bufferView": self.view(content), "mimeType": "image/png", **({"name": name} if name else {})})
        textures.append({"source": len(images) - 1})
        return len(textures) - 1

    def glb(self) -> bytes:
        self.tree["buffers"] = [{"byteLength": len(self.blob)}]
        text = json.dumps(self.tree).encode()
        text += b" " * (-len(text) % 4)
        blob = self.blob + b"\0" * (-len(self.blob) % 4)
        chunks = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(blob), 0x004E4942) + blob
        return struct.pack("<III", 0x46546C67, 2, 12 + len(chunks)) + chunks


def two_materials() -> Writer:
    made = Writer()
    base, packed = made.image(png((200, 100, 50)), "Case_BaseColor"), made.image(png((255, 128, 64)), "Case_ORM")
    normal, glow = made.image(png((128, 128, 255)), "Case_N"), made.image(png((255, 255, 255)), "Case_Lamp")
    badge = made.image(png((10, 20, 30, 128)), "Badge")
    made.tree["materials"] = [
        {
            "name": "Case", "normalTexture": {"index": normal}, "occlusionTexture": {"index": packed},
            "emissiveTexture": {"index": glow}, "emissiveFactor": [1, 0.5, 0],
            "extensions": {"KHR_materials_emissive_strength": {"emissiveStrength": 4}},
            "pbrMetallicRoughness": {
                "baseColorTexture": {"index": base}, "baseColorFactor": [0.5, 1, 1, 1],
                "metallicRoughnessTexture": {"index": packed}, "roughnessFactor": 0.5,
            },
        },
        {"name": "Badge", "pbrMetallicRoughness": {"baseColorTexture": {"index": badge}, "metallicFactor": 0, "roughnessFactor": 0.3}},
        {"name": "Badge rim", "pbrMetallicRoughness": {"baseColorTexture": {"index": badge}, "metallicFactor": 0}},
    ]  # fmt: skip
    for number in range(3):
        made.square(number, x=float(number))
    return made
