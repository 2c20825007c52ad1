"""Small shapes with UVs, written as one OBJ with a material group for each part."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Rect = tuple[float, float, float, float]


@dataclass
class ObjWriter:
    """Collects grids of quads. v in the UV rectangles runs down; OBJ wants it up, so it is turned on writing."""

    lines: list[str] = field(default_factory=list)
    vertices: int = 0
    uvs: int = 0

    def group(self, name: str) -> None:
        """Faces that follow belong to this material."""
        self.lines.append(f"usemtl {name}")

    def grid(self, points: NDArray, uv: NDArray, *, closed: bool = False) -> None:
        """A grid (rows, columns, 3) with UVs (rows, columns, 2); `closed` joins the last column to the first in
        space."""
        rows, columns = points.shape[:2]
        stored = points[:, :-1] if closed else points
        width = stored.shape[1]
        self.lines += [f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in stored.reshape(-1, 3)]
        self.lines += [f"vt {u:.6f} {1 - v:.6f}" for u, v in uv.reshape(-1, 2)]
        for row in range(rows - 1):
            for column in range(columns - 1):
                corners = ((row, column), (row + 1, column), (row + 1, column + 1), (row, column + 1))
                words = []
                for r, c in corners:
                    vertex = self.vertices + r * width + (c % width if closed else c) + 1
                    words.append(f"{vertex}/{self.uvs + r * columns + c + 1}")
                self.lines.append("f " + " ".join(words))
        self.vertices += rows * width
        self.uvs += rows * columns

    def text(self) -> bytes:
        """The OBJ file."""
        return ("\n".join(self.lines) + "\n").encode()


def rect_uv(rect: Rect, rows: int, columns: int) -> NDArray:
    """Even UVs over a rectangle (left, top, right, bottom)."""
    left, top, right, bottom = rect
    u, v = np.meshgrid(np.linspace(left, right, columns), np.linspace(top, bottom, rows))
    return np.stack([u, v], -1)


def lathe(
    profile: list[tuple[float, float]], segments: int, bulge: float = 0.0, lobes: int = 8, center=(0.0, 0.0)
) -> NDArray:
    """Turn a profile of (radius, height), listed from the top, about the vertical axis; lobes may bulge outward."""
    angles = np.linspace(0, 2 * np.pi, segments + 1)
    radius, height = np.array(profile).T
    swell = 1 + bulge * np.abs(np.sin(angles * lobes / 2))
    x = radius[:, None] * swell * np.sin(angles) + center[0]
    z = radius[:, None] * swell * np.cos(angles) + center[1]
    y = np.repeat(height[:, None], segments + 1, 1)
    return np.stack([x, y, z], -1)


def tube(path: NDArray, radius: float, sides: int = 8) -> NDArray:
    """A round tube along a path (n, 3): grid (n, sides + 1, 3)."""
    tangent = np.gradient(path, axis=0)
    tangent /= np.linalg.norm(tangent, axis=1, keepdims=True)
    side = np.cross(tangent, np.array([0.3, 0.9, 0.31]))
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    up = np.cross(side, tangent)
    angles = np.linspace(0, 2 * np.pi, sides + 1)
    return path[:, None] + radius * (side[:, None] * np.cos(angles)[:, None] + up[:, None] * np.sin(angles)[:, None])
