"""Crowds as a game draws them: what each pixel shows in one draw call a sheet, then each pixel is shaded once, whatever
the copies are. A stage holds the room for the picture; each asset on it is drawn from its own kit."""

from collections.abc import Mapping, Sequence
from concurrent.futures import Future
from itertools import product
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.crowd import Copies
from evenpalette.core.delivery.crowd_kit import FAR_CELLS, CrowdKit, Model
from evenpalette.core.errors import ShaderOnItsWay
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.gpu.crowd.buffer import FORMAT, NAMES, CrowdBuffer
from evenpalette.gpu.crowd.light import CrowdLight, CrowdMoment
from evenpalette.gpu.crowd.sheet import SURROUND, DrawnSheet, compiled
from evenpalette.gpu.drawing import Viewport
from evenpalette.gpu.elsewhere import Elsewhere
from evenpalette.gpu.mip_levels import free
from evenpalette.gpu.programs import BoundTexture, DrawCall, ViewPrograms
from evenpalette.gpu.shader_files import CORNER, shader_file, smoothing, tell

F32 = NDArray[np.float32]
#: How many pixels a cell of FAR_CELLS may be wide: at rest, and while a hand turns the camera.
_CELL, _CELL_MOVING = 1.9, 3.2
#: What is kept of each pixel before it is shaded once: texel and phase; slopes; normal and side; tangent; place and the
#: copy, from 1; its row, number, group and sheet.
_KEPT = (("kept_uv", 4, "f4"), ("kept_slopes", 4, "f4"), ("kept_normal", 4, "f2"), ("kept_tangent", 4, "f2"), ("kept_at", 4, "f4"), ("kept_which", 4, "i4"))  # fmt: skip
_AT, _WHICH = 4, 5
_SEEN_PLAINLY = np.eye(3)


class _DrawnModel:
    """All faces of a sheet: vertices, and triangles from the finest level to the coarsest, each sent when it is drawn
    first."""

    def __init__(self, ctx: moderngl.Context, model: Model) -> None:
        self._ctx, self._model = ctx, model
        self.vertices = ctx.buffer(model.vertices.astype("<f4").tobytes())
        self._levels: dict[int, moderngl.Buffer] = {}

    def level(self, number: int) -> moderngl.Buffer:
        """Triangles of a level, from 0 for all of them."""
        if number not in self._levels:
            levels = self._model.levels if number else (self._model.corners,)
            corners = levels[min(number, len(levels) - 1)]
            self._levels[number] = self._ctx.buffer(np.ascontiguousarray(corners, "<u4").tobytes())
        return self._levels[number]

    def release(self) -> None:
        for buffer in (self.vertices, *self._levels.values()):
            buffer.release()


class _Kept:
    """What a picture of one size is made in."""

    def __init__(self, ctx: moderngl.Context, size: tuple[int, int]) -> None:
        self.size = size
        self.textures = {name: ctx.texture(size, count, dtype=kind) for name, count, kind in _KEPT}
        for texture in self.textures.values():
            texture.filter = moderngl.NEAREST, moderngl.NEAREST
        self._depth = ctx.depth_renderbuffer(size)
        self.target = ctx.framebuffer(list(self.textures.values()), self._depth)
        self.picture = ctx.texture(size, 4)
        self.picture.repeat_x = self.picture.repeat_y = False
        self.shaded = ctx.framebuffer([self.picture], self._depth)

    def release(self) -> None:
        self.target.release()
        self.shaded.release()
        for texture in (*self.textures.values(), self.picture):
            texture.release()
        self._depth.release()


class CrowdAsset:
    """A kit on a graphics card. Made and drawn with its context current. Raises KitError for texts that do not
    compile."""

    def __init__(self, ctx: moderngl.Context, kit: CrowdKit) -> None:
        self._ctx, self.kit = ctx, kit
        self.sheets = [DrawnSheet(ctx, sheet) for sheet in kit.sheets]
        self._models = [_DrawnModel(ctx, sheet.model) for sheet in kit.sheets]
        self._crowd = CrowdBuffer(ctx)
        self._arrays: dict[tuple[int, int], moderngl.VertexArray] = {}

    @property
    def memory(self) -> int:
        """Bytes of all textures with their mip levels, and of the tables."""
        total = 0.0
        for sheet in self.sheets:
            for said, made in sheet.textures:
                total += made.width * made.height * made.components * int(made.dtype[-1]) * (4 / 3 if said.mips else 1)
            total += sheet.rows.nbytes
        return int(total)

    @property
    def reads(self) -> int:
        """Texture reads a pixel, of the sheet that has the most: what it starts from, coverages, all steps."""
        return max(
            sum(step.cost.reads for step in sheet.said.steps if step.cost is not None)
            + len({t.sampler for t in sheet.said.textures if not t.sampler.startswith("ep_map_")})
            for sheet in self.kit.sheets
        )

    def camera(self, wanted: Copies, size: tuple[int, int] = (2, 1)) -> OrbitCamera:
        """One that shows all copies in a view of this size."""
        return camera_around([(self.kit, wanted)], size)

    def set_rows(self, rows: Sequence[F32]) -> None:
        """Have other values: the table of each sheet."""
        for sheet, held in zip(self.sheets, rows, strict=True):
            sheet.rows = held
            sheet.tell()

    def keep(self, first: int, told: dict[str, Any], wanted: Copies, level: int) -> int:
        """Draw what each pixel shows; first: number of the first sheet in the picture. Returns the draw calls."""
        if self._crowd.set(wanted):
            for array in self._arrays.values():
                array.release()
            self._arrays.clear()
        for number, sheet in enumerate(self.sheets):
            tell_all(sheet.kept, {**told, "u_sheet": first + number})
            sheet.bind(sheet.kept, int(wanted["row"][0]))
            self._array(number, level).render(moderngl.TRIANGLES, instances=len(wanted))
        return len(self.sheets)

    def grouped(self, wanted: Copies) -> dict[int, int]:
        """Tell copies which others they are shaded with: all where nothing is chosen among textures, else those with
        the same ones; of a kit without a table those of one variant. Returns a row of each group."""
        rows = sorted({int(row) for row in wanted["row"]})
        without = self.kit.sheets[0].rows is None
        picks = {row: row if without else tuple(p for s in self.sheets for p in s.picks(row)) for row in rows}
        numbers = {pick: number for number, pick in enumerate(dict.fromkeys(picks.values()))}
        for row in rows:
            wanted["group"][wanted["row"] == row] = numbers[picks[row]]
        return {numbers[picks[row]]: row for row in reversed(rows)}

    def _array(self, number: int, level: int) -> moderngl.VertexArray:
        known = number, level
        if known not in self._arrays:
            program, model = self.sheets[number].kept, self._models[number]
            self._arrays[known] = self._ctx.vertex_array(
                program,
                [
                    _bound(program, model.vertices, "3f 3f 4f 2f", ("at", "normal", "tangent", "uv")),
                    _bound(program, self._crowd.buffer, FORMAT, NAMES),
                ],
                model.level(level), index_element_size=4,
            )  # fmt: skip
        return self._arrays[known]

    def release(self) -> None:
        """Give the memory back."""
        for array in self._arrays.values():
            array.release()
        self._crowd.release()
        for model in self._models:
            model.release()
        for sheet in self.sheets:
            for _, texture in sheet.textures:
                free(texture)
            if sheet.table is not None:
                sheet.table.release()
            sheet.kept.release()


class CrowdStage:
    """Where crowds are drawn. All methods need the context to be current."""

    def __init__(self, ctx: moderngl.Context, elsewhere: Elsewhere | None = None) -> None:
        """elsewhere: compiles what shades beforehand: drawing then raises ShaderOnItsWay until it is there."""
        self._ctx = ctx
        self._patient = elsewhere is not None
        self._programs = ViewPrograms(ctx, elsewhere)
        self._corners = ctx.buffer(np.array([0, 0, 1, 0, 0, 1, 1, 1], "f4").tobytes())
        self._plain: dict[str, tuple[moderngl.Program, moderngl.VertexArray]] = {}
        self._kept: _Kept | None = None
        self._coarser = 1
        #: Draw calls of copies in the last picture.
        self.draws = 0

    @property
    def compiling(self) -> "list[Future[None]]":
        """What is being compiled elsewhere."""
        return self._programs.coming

    def prepare(self, asset: CrowdAsset) -> None:
        """Compile what shades an asset now. Raises KitError."""
        for sheet in asset.sheets:
            self._shading(sheet, {})

    def draw(
        self, target: moderngl.Framebuffer, viewport: Viewport, camera: OrbitCamera,
        parts: Sequence[tuple[CrowdAsset, Copies]], light: CrowdLight, moment: CrowdMoment,
        eyes: NDArray[np.float64] = _SEEN_PLAINLY, coarser: int = 1, *, patient: bool = False,
    ) -> None:  # fmt: skip
        """Draw copies of assets into a part of a target, over all of it. eyes: (3, 3), what linear colors are seen as.
        coarser: how many pixels of the target a drawn one is wide. patient: as `elsewhere` says, where it is given."""
        ctx = self._ctx
        width, height = max(1, viewport[2] // coarser), max(1, viewport[3] // coarser)
        kept = self._room((width, height))
        self._coarser = coarser
        self._programs.patient = patient and self._patient
        lamps, sky = light.lamps()
        told: dict[str, Any] = {
            "u_clip": tuple(camera.matrix(width, height).T.reshape(-1).tolist()), "u_eye": tuple(camera.eye.tolist()),
            "u_seconds": moment.seconds, "u_flame": light.flame, "u_unlit": light.unlit, "u_to": moment.to, "u_turn": moment.turn,
            "ep_lamps": lamps, "ep_sky": sky, "ep_exposure": light.exposure, "ep_filmic": 0,
            "u_eyes": tuple(np.asarray(eyes).T.reshape(-1).tolist()),
        }  # fmt: skip
        if self._programs.patient:
            # Before anything is drawn: all that is wanted is compiled at once.
            self._ask_for_all(parts)
        ctx.scissor = None
        kept.target.use()
        ctx.viewport = (0, 0, width, height)
        ctx.disable(moderngl.BLEND | moderngl.CULL_FACE)
        kept.target.clear(0.0, 0.0, 0.0, 0.0, depth=1.0)
        ctx.enable(moderngl.DEPTH_TEST)
        ctx.depth_func = "<"
        self.draws, first = 0, 0
        groups = []
        for asset, given in parts:
            wanted = given.copy()
            groups.append(asset.grouped(wanted))
            pixels = min(width, height) * asset.kit.radius / max(camera.span / 2, 1e-9)
            cell = _CELL if coarser == 1 else _CELL_MOVING
            level = next((len(FAR_CELLS) - at for at, cells in enumerate(FAR_CELLS) if pixels < cells * cell), 0)
            self.draws += asset.keep(first, told, wanted, level)
            first += len(asset.sheets)
        kept.shaded.use()
        ctx.viewport = (0, 0, width, height)
        kept.shaded.depth_mask = False
        kept.shaded.clear(SURROUND, SURROUND, SURROUND, 0.0)
        # The quad lies just in front of the far plane: only where the model is anything is shaded.
        ctx.depth_func = ">"
        first = 0
        for (asset, _), found in zip(parts, groups, strict=True):
            self._shade(asset, first, found, told)
            first += len(asset.sheets)
        ctx.depth_func = "<"
        ctx.disable(moderngl.DEPTH_TEST)
        kept.shaded.depth_mask = True
        program, quad = self._programs.plain(smoothing(between=coarser > 1, blooms=False))
        target.use()
        ctx.viewport, ctx.scissor = viewport, viewport
        kept.picture.use(0)
        corner = (float(viewport[0]), float(viewport[1]))
        scale = (width / viewport[2], height / viewport[3])
        tell_all(program, {"u_picture": 0, "u_scale": scale, "u_corner": corner})
        quad.render(moderngl.TRIANGLE_STRIP)
        ctx.scissor = None

    def _room(self, size: tuple[int, int]) -> _Kept:
        if self._kept is None or self._kept.size != size:
            if self._kept is not None:
                self._kept.release()
            self._kept = _Kept(self._ctx, size)
        return self._kept

    def _ask_for_all(self, parts: Sequence[tuple[CrowdAsset, Copies]]) -> None:
        """Raises ShaderOnItsWay where one is not there yet, after all were asked for."""
        late: ShaderOnItsWay | None = None
        for asset, _ in parts:
            for sheet in asset.sheets:
                try:
                    self._shading(sheet, sheet.pictures(0))
                except ShaderOnItsWay as error:
                    late = error
        if late is not None:
            raise late

    def _shading(
        self, sheet: DrawnSheet, pictures: Mapping[str, moderngl.Texture]
    ) -> tuple[moderngl.Program, moderngl.VertexArray]:
        if not self._programs.patient and sheet.shading not in self._plain and not self._patient:
            program = compiled(self._ctx, sheet.sheet.where, shader_file("view.vert"), sheet.shading)
            self._plain[sheet.shading] = program, self._ctx.vertex_array(program, [(self._corners, "2f", CORNER)])
        if sheet.shading in self._plain:
            return self._plain[sheet.shading]
        assert self._kept is not None
        held = {name: BoundTexture(texture) for name, texture in {**self._kept.textures, **pictures}.items()}
        return self._programs.of(sheet.shading, DrawCall(held, self._kept.shaded, True))

    def _shade(self, asset: CrowdAsset, first: int, groups: Mapping[int, int], told: Mapping[str, Any]) -> None:
        assert self._kept is not None
        kept = self._kept
        for number, sheet in enumerate(asset.sheets):
            program, fill = self._shading(sheet, sheet.pictures(0))
            units = {name: unit for unit, name in enumerate(kept.textures)}
            for group, row in groups.items():
                tell_all(program, {**told, "u_sheet": first + number, "u_group": group, **units})
                for unit, texture in enumerate(kept.textures.values()):
                    texture.use(unit)
                sheet.bind(program, row, len(kept.textures))
                if sheet.sheet.rows is None:
                    sheet.tell_values(program, row)
                fill.render(moderngl.TRIANGLE_STRIP)

    def shown(self) -> NDArray[np.int32]:
        """What each pixel of the last picture shows, (height, width, 2), first row last: the row of its variant and its
        number, -1 for nothing."""
        assert self._kept is not None
        which = np.frombuffer(self._kept.textures["kept_which"].read(), np.int32).reshape(*self._kept.size[::-1], 4)
        return np.where(which[..., 3:] > 0, which[..., :2], -1)

    def copy_at(self, x: int, y: int) -> tuple[int, int] | None:
        """(sheet in the picture, copy of its asset) that the last picture shows at a pixel of its viewport (origin
        bottom left); None for none."""
        if self._kept is None:
            return None
        x, y = x // self._coarser, y // self._coarser
        if not (0 <= x < self._kept.size[0] and 0 <= y < self._kept.size[1]):
            return None
        at = np.frombuffer(self._kept.target.read((x, y, 1, 1), components=4, attachment=_AT, dtype="f4"), np.float32)
        if at[3] < 0.5:
            return None
        which = self._kept.target.read((x, y, 1, 1), components=4, attachment=_WHICH, dtype="i4")
        return int(np.frombuffer(which, np.int32)[3]) - 1, round(float(at[3])) - 1

    def release(self) -> None:
        """Give the memory back."""
        for program, array in self._plain.values():
            array.release()
            program.release()
        self._plain.clear()
        if self._kept is not None:
            self._kept.release()
            self._kept = None
        self._corners.release()


def camera_around(
    parts: Sequence[tuple[CrowdKit, Copies]], size: tuple[int, int] = (2, 1), *, from_above: bool = True
) -> OrbitCamera:  # fmt: skip
    """A camera that shows all copies of assets in a view of this size. from_above: as a crowd is looked at;
    one copy never is."""
    corners = []
    for kit, wanted in parts:
        low, high = kit.low.astype(float), kit.high.astype(float)
        low[[0, 2]] += wanted["place"].min(0)
        high[[0, 2]] += wanted["place"].max(0)
        corners.append(np.array(list(product(*zip(low, high, strict=True)))))
    points = np.concatenate(corners)
    camera = OrbitCamera.around(points.min(0), points.max(0))
    count = sum(len(wanted) for _, wanted in parts)
    if count == 1:
        return camera
    return (camera.turned(0, 30) if from_above else camera).fitted(points, *size)


def tell_all(program: moderngl.Program, values: Mapping[str, Any]) -> None:
    """Set uniforms that the program reads."""
    for name, value in values.items():
        tell(program, name, value)


def _bound(program: moderngl.Program, buffer: moderngl.Buffer, format: str, names: Sequence[str]) -> tuple[Any, ...]:
    """A buffer for a vertex array; what the program does not read is skipped."""
    per_instance = format.endswith("/i")
    pieces = format.removesuffix("/i").split()
    made, kept = [], []
    for piece, name in zip(pieces, names, strict=True):
        if name in program:
            made.append(piece)
            kept.append(name)
        else:
            made.append(f"{int(piece[0]) * 4}x")
    return (buffer, " ".join(made) + ("/i" if per_instance else ""), *kept)
