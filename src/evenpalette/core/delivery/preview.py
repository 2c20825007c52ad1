"""The page: a kit as one file that a browser opens from disk, with all that it needs inside."""

import base64
import hashlib
import html
import json
import zlib
from importlib.resources import files

import numpy as np
from msgspec import to_builtins

from evenpalette.core.color.encoding import with_encoding
from evenpalette.core.delivery.kit_files import KitFiles, KitSheetFiles
from evenpalette.core.delivery.kit_model import KitTexture
from evenpalette.core.errors import KitError
from evenpalette.core.light.lamps import SET_UPS
from evenpalette.core.raster.image_read import decode_image
from evenpalette.core.raster.image_write import encode_image
from evenpalette.core.raster.raster import Encoding, Raster

#: What the file is called in a kit.
PAGE_FILE = "preview.html"
#: Light set-ups that need no picture of an environment.
_LIGHTS = tuple(key for key, made in SET_UPS.items() if not made.environment)
#: Of a PNG: bits 8 or 16, gray or color with or without alpha, not interlaced: what the page unpacks itself.
_PLAIN = (b"\x08", b"\x10"), (0, 2, 4, 6)


class _Blobs:
    """Pieces of bytes as elements of the page, by number; equal ones once."""

    def __init__(self) -> None:
        self._numbers: dict[bytes, int] = {}

    def add(self, content: bytes) -> int:
        return self._numbers.setdefault(content, len(self._numbers))

    def elements(self) -> str:
        return "\n".join(
            f'<script type="text/plain" id="blob{number}">{base64.b64encode(content).decode()}</script>'
            for content, number in self._numbers.items()
        )


def page_of(kit: KitFiles) -> bytes:
    """The page of a kit, UTF-8. Raises KitError for one of version 2, which had no table and no light."""
    blobs = _Blobs()
    said = {
        "name": kit.name,
        "sheets": [_sheet(sheet, blobs) for sheet in kit.sheets],
        "mesh": blobs.add(kit.mesh) if kit.mesh else -1,
        "lights": [{"label": SET_UPS[key].label, "lamps": [[*d, s] for d, s in SET_UPS[key].lamps], "sky": SET_UPS[key].sky} for key in _LIGHTS],
    }  # fmt: skip
    # Nothing in it can end the element that it stands in.
    data = json.dumps(said, ensure_ascii=True, separators=(",", ":")).replace("<", "\\u003c")
    folder = files("evenpalette.core.delivery") / "page"
    script, style, page = ((folder / name).read_text("utf-8") for name in ("page.js", "page.css", "page.html"))
    script = with_encoding(script)
    allowed = base64.b64encode(hashlib.sha256(script.encode()).digest()).decode()
    policy = f"default-src 'none'; script-src 'sha256-{allowed}'; style-src 'unsafe-inline'; img-src data: blob:; base-uri 'none'; form-action 'none'"
    put = {
        "POLICY": policy, "TITLE": html.escape(kit.name), "STYLE": style, "SCRIPT": script,
        "DATA": f'<script type="application/json" id="kit">{data}</script>\n{blobs.elements()}',
    }  # fmt: skip
    # By its parts, so that no text that is put in is looked through for places.
    made = []
    for number, piece in enumerate(page.split("@")):
        made.append(put[piece] if number % 2 else piece)
    return "".join(made).encode()


def _sheet(sheet: KitSheetFiles, blobs: _Blobs) -> dict[str, object]:
    if sheet.table is None:
        raise KitError(
            f"{sheet.folder} is a kit of version 2, which has no table and no light for a page. Deliver it again."
        )
    return {
        "name": sheet.name, "said": to_builtins(sheet.said), "recipe": sheet.recipe, "light": sheet.light,
        "table": blobs.add(np.ascontiguousarray(sheet.table, "<f4").tobytes()),
        "textures": {said.file: _texture(said, sheet.textures[said.file], blobs) for said in sheet.said.textures},
    }  # fmt: skip


def _texture(said: KitTexture, content: bytes, blobs: _Blobs) -> dict[str, object]:
    """As it is where the page can unpack it; float ones as raw numbers, others written again without loss."""
    if (
        content[:8] == b"\x89PNG\r\n\x1a\n"
        and content[24:25] in _PLAIN[0]
        and content[25] in _PLAIN[1]
        and content[28] == 0
    ):
        return {"blob": blobs.add(content)}
    pixels = decode_image(content, said.file)
    if pixels.dtype == np.float32:
        height, width, channels = pixels.shape
        packed = zlib.compress(np.ascontiguousarray(pixels, "<f4").tobytes(), 9)
        return {"blob": blobs.add(packed), "raw": [width, height, channels]}
    return {"blob": blobs.add(encode_image(Raster(pixels, Encoding.DATA), ".png"))}
