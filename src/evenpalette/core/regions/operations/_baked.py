"""Operations that are bakes: what a mesh knows about itself, as a coverage."""

from collections.abc import Mapping
from typing import Any

import cv2
import numpy as np

from evenpalette.core.baking.bake import BakeWish, bake
from evenpalette.core.baking.kinds import bake_kind
from evenpalette.core.mesh.texels import Texels
from evenpalette.core.regions.operation_kind import Around, OperationKind, Plane
from evenpalette.core.values import Input, ValueType

#: Rays are sent from so many texels a side at most: what they find is soft enough to be enlarged.
_MOST_TEXELS = 256
#: The region that a distance is measured to.
TO = Input("to", "To", ValueType.REGION, "", description="The region that the way is measured to")


def baked_operation(key: str, order: int, *, to_region: bool = False) -> OperationKind:
    """The operation that a kind of bake is; it has the kind's words and settings. to_region: it measures the way to
    one."""
    kind = bake_kind(key)
    settings = (*((TO,) if to_region else ()), *(s for s in kind.settings if s.key not in ("casters", "ground")))

    def run(_: Plane, values: Mapping[str, Any], around: Around) -> Plane:
        texels = around.mesh_texels(kind.label)
        target = None
        if to_region and values["to"]:
            target = texels.faces_in(around.region(str(values["to"])))
        own = kind.values({k: v for k, v in values.items() if k in {s.key for s in kind.settings}})
        shape = tuple(min(side, _MOST_TEXELS) for side in texels.shape) if kind.traced else texels.shape
        seen = b"" if target is None else np.packbits(target).tobytes()

        def make() -> Plane:
            where = texels if shape == texels.shape else Texels(texels.mesh, texels.topology, (shape[0], shape[1]))
            made = bake(BakeWish(kind, own, target=target), where).values[..., 0]
            if shape == texels.shape:
                return np.ascontiguousarray(made)
            return np.asarray(cv2.resize(made, texels.shape[::-1], interpolation=cv2.INTER_LINEAR), np.float32)

        return texels.keep((key, *sorted(own.items()), seen), make)

    return OperationKind(
        key, kind.label, kind.summary, settings, run, makes=True, order=order, source=kind.source,
    )  # fmt: skip
