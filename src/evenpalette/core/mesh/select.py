"""Choosing faces: pure functions from a selection, bool (F,), to a selection."""

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.mesh.mesh import Mesh
from evenpalette.core.mesh.topology import Topology

Selection = NDArray[np.bool_]
#: Vertex colors closer than this (Euclidean, 8-bit RGB) are one: common practice, no source.
SAME_COLOR = 24.0


def combine(before: Selection, picked: Selection, mode: str) -> Selection:
    """The picked faces put together with a selection: 'replace', 'add', 'remove' or 'intersect'."""
    if mode == "add":
        return before | picked
    if mode == "remove":
        return before & ~picked
    if mode == "intersect":
        return before & picked
    return picked.copy()


def grow(selection: Selection, topology: Topology) -> Selection:
    """The selection and all faces that share an edge with it."""
    a, b = topology.neighbors.T
    grown = selection.copy()
    grown[a[selection[b]]] = True
    grown[b[selection[a]]] = True
    return grown


def shrink(selection: Selection, topology: Topology) -> Selection:
    """The selection without faces that share an edge with an unselected one."""
    return ~grow(~selection, topology)


def whole(selection: Selection, labels: NDArray[np.int32]) -> Selection:
    """Every face whose label (shell, island, group) some selected face has."""
    return np.isin(labels, np.unique(labels[selection]))


def spread_by_angle(selection: Selection, mesh: Mesh, topology: Topology, sharper_than_degrees: float) -> Selection:
    """Spread from the selection over every edge whose faces turn by no more than an angle."""
    normals = mesh.face_normals().astype(np.float64)
    a, b = topology.neighbors.T
    smooth = (normals[a] * normals[b]).sum(1) >= np.cos(np.radians(sharper_than_degrees)) - 1e-9
    a, b = a[smooth], b[smooth]
    spread = selection.copy()
    while True:
        before = int(spread.sum())
        spread[a[spread[b]]] = True
        spread[b[spread[a]]] = True
        if int(spread.sum()) == before:
            return spread


def facing(mesh: Mesh, direction: NDArray, within_degrees: float) -> Selection:
    """Faces whose normal lies within an angle of a direction (3,)."""
    direction = np.asarray(direction, np.float64)
    direction = direction / max(float(np.linalg.norm(direction)), 1e-12)
    return np.asarray(mesh.face_normals() @ direction >= np.cos(np.radians(within_degrees)))


def vertex_color_labels(mesh: Mesh, tolerance: float = SAME_COLOR) -> NDArray[np.int32]:
    """A number for each face's mean vertex color, int32 (F,): colors within `tolerance` (8-bit RGB) are one.

    The most frequent color of a group stands for it, so that noise around it does not make groups of its own.
    """
    if mesh.colors is None:
        return np.zeros(mesh.face_count, np.int32)
    codes = np.rint(mesh.colors[..., :3].mean(1) * 255).astype(np.int32)
    unique, inverse, counts = np.unique(codes, axis=0, return_inverse=True, return_counts=True)
    inverse = inverse.reshape(-1)
    centers: list[NDArray] = []
    label_of = np.empty(len(unique), np.int32)
    for index in np.argsort(-counts, kind="stable"):
        if centers:
            distances = np.linalg.norm(np.array(centers) - unique[index], axis=1)
            nearest = int(distances.argmin())
            if distances[nearest] <= tolerance:
                label_of[index] = nearest
                continue
        label_of[index] = len(centers)
        centers.append(unique[index])
    return np.asarray(label_of[inverse], np.int32)
