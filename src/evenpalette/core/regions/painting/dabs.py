"""Laying down one dab: round in the texture, or a ball on the surface.

A dab adds to the stroke's deposit, float32 (height, width) of 0..1: `deposit += (1 - deposit) * a` with `a` the dab's
strength at the texel. A texel is touched where its center lies, so faces that share an edge never lay down twice.
"""

import numpy as np

from evenpalette.core.kernels import njit
from evenpalette.core.mesh.distance import squared_distance
from evenpalette.core.mesh.triangle_rule import centers, edge, in_texels, owns, within

#: Boxes closer than this many texels become one.
_NEAR = 16


@njit(nogil=True, cache=True, inline="always")
def _strength(distance, inner, outer, flow, x, y, tip):  # type: ignore[no-untyped-def]
    """At a distance from the middle; x, y: place in the tip, -1..1."""
    if distance >= outer:
        return 0.0
    size = tip.shape[0]
    column = min(max(int((x + 1) * 0.5 * size), 0), size - 1)
    row = min(max(int((y + 1) * 0.5 * size), 0), size - 1)
    strength = flow * tip[row, column]
    if distance > inner:
        t = (distance - inner) / (outer - inner)
        strength *= 1 - t * t * (3 - 2 * t)
    return strength


@njit(nogil=True, cache=True, fastmath=True)
def flat_dab(deposit, cx, cy, inner, outer, flow, angle, tip):  # type: ignore[no-untyped-def]
    """A round dab around (cx, cy) in texels, full within `inner`, none from `outer` on."""
    height, width = deposit.shape
    cos, sin = np.cos(angle) / outer, np.sin(angle) / outer
    for row in range(max(0, int(np.floor(cy - outer))), min(height, int(np.ceil(cy + outer)) + 1)):
        dy = row + 0.5 - cy
        for column in range(max(0, int(np.floor(cx - outer))), min(width, int(np.ceil(cx + outer)) + 1)):
            dx = column + 0.5 - cx
            a = _strength(np.sqrt(dx * dx + dy * dy), inner, outer, flow, dx * cos + dy * sin, dy * cos - dx * sin, tip)
            if a > 0:
                deposit[row, column] += (1 - deposit[row, column]) * a


@njit(nogil=True, cache=True)
def _note_box(boxes, count, left, top, right, bottom):  # type: ignore[no-untyped-def]
    """Widen a box that is near, or begin one: across a seam of the texture the dab has several. The last takes the
    rest."""
    for i in range(count):
        near = (
            left < boxes[i, 2] + _NEAR and right > boxes[i, 0] - _NEAR
            and top < boxes[i, 3] + _NEAR and bottom > boxes[i, 1] - _NEAR
        )  # fmt: skip
        if near or i == boxes.shape[0] - 1:
            boxes[i, 0] = min(boxes[i, 0], left)
            boxes[i, 1] = min(boxes[i, 1], top)
            boxes[i, 2] = max(boxes[i, 2], right)
            boxes[i, 3] = max(boxes[i, 3], bottom)
            return count
    boxes[count, 0], boxes[count, 1], boxes[count, 2], boxes[count, 3] = left, top, right, bottom
    return count + 1


@njit(nogil=True, cache=True)
def ball_dab(  # type: ignore[no-untyped-def]
    deposit, positions, faces, uvs, starts, neighbors, seen, stamp, queue, first, walk, walk_radius,
    center, inner, outer, flow, right_way, up_way, tip, boxes,
):  # fmt: skip
    """A ball around `center` (3,) in model units, laid on the surface connected to the face `first`.

    The walk goes from face to neighbor as long as faces come within `walk_radius` of `walk`. right_way, up_way: unit
    vectors (3,) along which the tip lies. boxes: int64 (n, 4), gets the boxes of texels (see `raster.box`)
    of what was touched. Returns the number of boxes. Cost: the faces and texels within the ball.
    """
    height, width = deposit.shape
    count, head, tail = 0, 0, 1
    queue[0] = first
    seen[first] = stamp
    reach = walk_radius * walk_radius
    along_x, along_y, origin = np.empty(3), np.empty(3), np.empty(3)
    while head < tail:
        face = queue[head]
        head += 1
        for k in range(starts[face], starts[face + 1]):
            other = neighbors[k]
            if seen[other] == stamp:
                continue
            seen[other] = stamp
            a, b, c = positions[faces[other, 0]], positions[faces[other, 1]], positions[faces[other, 2]]
            if squared_distance(walk, a, b, c) <= reach:
                queue[tail] = other
                tail += 1
        a, b, c = positions[faces[face, 0]], positions[faces[face, 1]], positions[faces[face, 2]]
        x0, y0, x1, y1, x2, y2, area = in_texels(uvs, face, width, height)
        if area == 0.0:
            continue
        if area < 0:
            b, c, area = c, b, -area
        # Position as a linear function of the texel: origin + x * along_x + y * along_y.
        gxx, gxy, gyy, ox, oy, squared = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for i in range(3):
            u, v = b[i] - a[i], c[i] - a[i]
            along_x[i] = (u * (y2 - y0) - v * (y1 - y0)) / area
            along_y[i] = (v * (x1 - x0) - u * (x2 - x0)) / area
            origin[i] = a[i] - along_x[i] * x0 - along_y[i] * y0
            gap = center[i] - origin[i]
            gxx += along_x[i] * along_x[i]
            gxy += along_x[i] * along_y[i]
            gyy += along_y[i] * along_y[i]
            ox += along_x[i] * gap
            oy += along_y[i] * gap
            squared += gap * gap
        left, right = centers(x0, x1, x2, width)
        top, bottom = centers(y0, y1, y2, height)
        det = gxx * gyy - gxy * gxy
        if det > 1e-12 * gxx * gyy:
            # Where the ball cuts the face's plane is an ellipse in the texture: only its box is looked at.
            mx, my = (ox * gyy - oy * gxy) / det, (oy * gxx - ox * gxy) / det
            inside = outer * outer - (squared - mx * ox - my * oy)
            if inside <= 0:
                continue
            half_x, half_y = np.sqrt(inside * gyy / det), np.sqrt(inside * gxx / det)
            left, right = max(left, int(mx - half_x - 1)), min(right, int(mx + half_x + 1))
            top, bottom = max(top, int(my - half_y - 1)), min(bottom, int(my + half_y + 1))
        own0, own1, own2 = owns(x0, y0, x1, y1), owns(x1, y1, x2, y2), owns(x2, y2, x0, y0)
        touched = False
        for row in range(top, bottom + 1):
            y = row + 0.5
            for column in range(left, right + 1):
                x = column + 0.5
                e0, e1, e2 = edge(x0, y0, x1, y1, x, y), edge(x1, y1, x2, y2, x, y), edge(x2, y2, x0, y0, x, y)
                if within(e0, e1, e2, own0, own1, own2):
                    distance, across, upward = 0.0, 0.0, 0.0
                    for i in range(3):
                        gap = origin[i] + along_x[i] * x + along_y[i] * y - center[i]
                        distance += gap * gap
                        across += gap * right_way[i]
                        upward += gap * up_way[i]
                    if distance >= outer * outer:
                        continue
                    strength = _strength(np.sqrt(distance), inner, outer, flow, across / outer, upward / outer, tip)
                    if strength > 0:
                        deposit[row, column] += (1 - deposit[row, column]) * strength
                        touched = True
        if touched:
            count = _note_box(boxes, count, left, top, right + 1, bottom + 1)
    return count


@njit(nogil=True, cache=True)
def lay_down(  # type: ignore[no-untyped-def]
    deposit, before, after, target, protected, has_protected, left, top, right, bottom
):
    """In a box: after = before + (target - before) * deposit * (1 - protected); planes uint8."""
    for row in range(top, bottom):
        for column in range(left, right):
            share = deposit[row, column]
            if share > 0:
                if has_protected:
                    share *= 1 - protected[row, column] / 255.0
                value = before[row, column] + (target - before[row, column]) * share
                after[row, column] = int(value + 0.5)


@njit(nogil=True, cache=True)
def follow_in_gutter(deposit, plane, source, left, top, right, bottom):  # type: ignore[no-untyped-def]
    """In a box: texels on no face follow the texel they stand in for, where that was painted."""
    flat, deposits = plane.reshape(-1), deposit.reshape(-1)
    width = plane.shape[1]
    for row in range(top, bottom):
        for column in range(left, right):
            from_ = source[row, column]
            if from_ != row * width + column and deposits[from_] > 0:
                plane[row, column] = flat[from_]
