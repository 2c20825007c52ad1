"""What a delivered picture depends on, as one word: where it is the same, the picture is."""

import hashlib
import json

from evenpalette import __version__
from evenpalette.core.document.state import State
from evenpalette.core.raster.digest import digest


def fingerprint(state: State, variant_id: str | None, *what: object) -> str:
    """A word, 32 hexadecimal digits, for everything that pictures of a variant on the active sheet are made from: its
    steps, regions, textures and coverages, the values that the variant has, the version of this program. what: all else
    that decides, as text: sizes, attributes, a line of a layout."""
    made = hashlib.blake2b(digest_size=16)

    def add(content: bytes | str) -> None:
        raw = content.encode("utf-8", "surrogatepass") if isinstance(content, str) else content
        made.update(len(raw).to_bytes(8, "little"))
        made.update(raw)

    project = state.project
    add(__version__)
    add(project.sheet.model_dump_json())
    for parameter in project.parameters:
        add(parameter.model_dump_json())
    values = state.values(variant_id)
    add(json.dumps({key: str(values[key]) for key in sorted(values)}))
    for part in what:
        add(str(part))
    for key, raster in sorted(state.textures.items()):
        add(f"{key} {raster.encoding}")
        add(digest(raster.pixels))
    for region in state.region_ids:
        add(region)
        add(digest(state.coverages[region]) if region in state.coverages else b"")
    if state.tone is not None:
        add(f"tone {state.tone.encoding}")
        add(digest(state.tone.pixels))
    if state.mesh is not None and state.mesh.mesh.uvs is not None:
        # Which texels are in use, for padding.
        add(digest(state.mesh.mesh.uvs))
    return made.hexdigest()
