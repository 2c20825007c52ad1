"""A picture of a kit without a window: for build farms."""

import moderngl
import numpy as np

from evenpalette.core.crowd import by_share, copies
from evenpalette.core.delivery.crowd_kit import crowd_kit
from evenpalette.core.delivery.kit_files import KitFiles
from evenpalette.core.errors import KitError
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.gpu.crowd.light import CrowdLight, CrowdMoment
from evenpalette.gpu.crowd.scene import CrowdAsset, CrowdStage


def rows_named(files: KitFiles, names: list[str]) -> list[int]:
    """The rows of variants by their names; 'default' is row 0. Raises KitError for one that there is not."""
    known = {variant.name.lower(): row for row, variant in reversed(list(enumerate(files.sheets[0].said.variants, 1)))}
    made = []
    for name in names:
        row = known.get(name.lower(), 0 if name.lower() in ("default", "defaults") else None)
        if row is None:
            there = ", ".join(v.name for v in files.sheets[0].said.variants)
            raise KitError(f"There is no variant called '{name}' in this kit. There are: {there or 'none'}.")
        made.append(row)
    return made


def picture(
    files: KitFiles, size: tuple[int, int], count: int, names: list[str], seconds: float, laid: str = "grid"
) -> Raster:
    """Copies of a kit, lit evenly, 8-bit sRGB. names: variants, in turn by chance; none is all. Raises KitError."""
    rows = rows_named(files, names) or list(range(1, len(files.sheets[0].said.variants) + 1)) or [0]
    try:
        ctx = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]
    except Exception as error:  # whatever the platform says
        raise KitError(f"There is no OpenGL without a window here (EGL): {str(error)[:120]}.") from error
    scene, stage = CrowdAsset(ctx, crowd_kit(files)), CrowdStage(ctx)
    wanted = copies(count, laid, scene.kit.step)
    wanted["row"] = np.array(rows, np.int32)[by_share(wanted["number"], [1.0] * len(rows), 0)]
    if len(names) == 1 or count == 1:
        wanted["row"] = rows[0]
    wanted["phase"] = 0.0 if count == 1 else wanted["phase"]
    plain = ctx.framebuffer([ctx.renderbuffer(size, 4)])
    stage.draw(plain, (0, 0, *size), scene.camera(wanted, size), [(scene, wanted)], CrowdLight(), CrowdMoment(seconds))
    pixels = np.frombuffer(plain.read(components=3), np.uint8).reshape(size[1], size[0], 3)[::-1]
    scene.release()
    stage.release()
    return Raster(np.ascontiguousarray(pixels), Encoding.SRGB)
