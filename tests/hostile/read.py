"""What the application does with a file that it is given: all of it that can be done without a window."""

from pathlib import Path

from evenpalette.core.delivery.kit import build_shader
from evenpalette.core.delivery.render import render_map
from evenpalette.core.document.state import State
from evenpalette.core.edits.asset_file import take_asset
from evenpalette.core.findings.findings import find_all
from evenpalette.core.mesh.asset_file import brings_textures, parse_asset
from evenpalette.core.mesh.read import parse_mesh
from evenpalette.core.mesh.view import MeshView
from evenpalette.core.raster.image_read import decode_image
from evenpalette.core.storage.storage import Storage


def read_image_bytes(content: bytes, name: str) -> None:
    decode_image(content, name)


def read_mesh_bytes(content: bytes, name: str) -> None:
    """Read it, take all that it brings along, and read what a project keeps of it."""
    if brings_textures(Path(name)):
        file = parse_asset(content, name)
        take_asset(State(), file)
        parse_mesh(file.mesh.source_bytes, f"kept{file.mesh.source_ending}")
    MeshView(parse_mesh(content, name)).prepare()


def read_project(_: bytes, folder: str) -> None:
    """Open it, look for findings, evaluate every variant, write the shader, save it elsewhere and open that."""
    state = Storage(folder).open()
    find_all(state)
    for variant in (None, *(v.id for v in state.project.variants[:4])):
        render_map(state, variant, (8, 8), workers=1)
    build_shader(state)
    copy = Path(folder).with_name("copy")
    Storage(copy).save(state)
    Storage(copy).open()


READERS = {"image": read_image_bytes, "mesh": read_mesh_bytes, "project": read_project}
