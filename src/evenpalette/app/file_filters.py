"""Which files the dialogs offer."""

from evenpalette.core.mesh.readers import mesh_endings
from evenpalette.core.raster.formats import picture_endings


def _filter(name: str, *endings: str) -> str:
    return f"{name} ({' '.join(f'*{ending}' for ending in endings)})"


MESHES = _filter("Meshes", *mesh_endings())
IMAGES = _filter("Images", *picture_endings())
MESHES_AND_IMAGES = _filter("Meshes and images", *mesh_endings(), *picture_endings())
