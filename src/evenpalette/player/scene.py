"""A kit as a game draws it: its files as textures, programs and buffers, and copies of it in one draw call."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.delivery.kit_files import KitFiles
from evenpalette.core.errors import KitError
from evenpalette.core.light.lamps import SET_UPS
from evenpalette.core.mesh.camera import OrbitCamera
from evenpalette.core.mesh.far import clustered
from evenpalette.gpu.crowd import FORMAT, NAMES, Copies, CrowdBuffer
from evenpalette.gpu.mip_levels import free
from evenpalette.gpu.shader_files import CORNER, shader_file, tell
from evenpalette.player.sheet import SURROUND, PlayedSheet

F32 = NDArray[np.float32]
#: Levels of fewer triangles: cells along the model, and up to how many pixels that is what is drawn.
_LEVELS = ((12, 24.0), (40, 110.0))
#: What is kept of each pixel before it is shaded once: texel and phase; slopes; normal and side; tangent; place; which.
_KEPT = (("kept_uv", 4, "f4"), ("kept_slopes", 4, "f4"), ("kept_normal", 4, "f2"), ("kept_tangent", 4, "f2"), ("kept_at", 4, "f4"), ("kept_which", 4, "i4"))  # fmt: skip


@dataclass(frozen=True)
class PlayLight:
    """The light that the player shows a kit in. hour: 0..1 from day over evening to night. exposure: a factor. flame:
    what all that glows is multiplied by. unlit: base color alone."""

    hour: float = 0.0
    exposure: float = 1.0
    flame: float = 1.0
    unlit: bool = False

    def lamps(self) -> tuple[list[tuple[float, ...]], tuple[float, float]]:
        """Lamps and sky, mixed between the set-ups even, side and night."""
        at = min(max(self.hour, 0.0), 1.0) * 2
        one, two = (SET_UPS["even"], SET_UPS["side"]) if at < 1 else (SET_UPS["side"], SET_UPS["night"])
        t = at - int(at) if at < 2 else 1.0
        made = []
        for (a, x), (b, y) in zip(one.lamps, two.lamps, strict=True):
            toward = np.array(a) * (1 - t) + np.array(b) * t
            toward /= max(float(np.linalg.norm(toward)), 1e-6)
            made.append((*(float(v) for v in toward), x + (y - x) * t))
        low, high = (a + (b - a) * t for a, b in zip(one.sky, two.sky, strict=True))
        return made, (low, high)


@dataclass(frozen=True)
class Moment:
    """seconds: of all that moves. turn: how far every copy has turned into the variant of row `to`, -1 for none."""

    seconds: float = 0.0
    to: int = -1
    turn: float = 0.0


class _Model:
    """All faces of a sheet: vertices, and triangles from the finest level to the coarsest, each made when it is drawn
    first. extent: how large the whole mesh is, 0 where there is nothing to leave out."""

    def __init__(self, ctx: moderngl.Context, vertices: NDArray, corners: NDArray, extent: float = 0.0) -> None:
        self._ctx, self._places, self._extent = ctx, vertices[:, :3].astype(np.float32), extent
        self._corners = np.ascontiguousarray(corners, "<u4")
        self.vertices = ctx.buffer(vertices.astype("<f4").tobytes())
        self._levels: dict[int, moderngl.Buffer] = {}

    def level(self, number: int) -> moderngl.Buffer:
        """Triangles of a level, from 0 for all of them."""
        if number not in self._levels:
            corners = self._corners
            if number and self._extent:
                fewer = clustered(self._places, corners, self._extent / _LEVELS[-number][0])
                corners = fewer if len(fewer) < len(corners) else corners
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


class KitScene:
    """A kit on a graphics card. Made and drawn with its context current. Raises KitError for texts that do not
    compile."""

    def __init__(self, ctx: moderngl.Context, files: KitFiles) -> None:
        self._ctx, self.files = ctx, files
        self.sheets = [PlayedSheet(ctx, sheet) for sheet in files.sheets]
        self._models, self.low, self.high = self._read_mesh()
        self._crowd = CrowdBuffer(ctx)
        self._arrays: dict[tuple[int, int], moderngl.VertexArray] = {}
        self._corners = ctx.buffer(np.array([0, 0, 1, 0, 0, 1, 1, 1], "f4").tobytes())
        self._fills = [ctx.vertex_array(sheet.program, [(self._corners, "2f", CORNER)]) for sheet in self.sheets]
        smoothing = ctx.program(shader_file("view.vert"), shader_file("smooth.frag"))
        self._smooth = smoothing, ctx.vertex_array(smoothing, [(self._corners, "2f", CORNER)])
        self._kept: _Kept | None = None
        #: Draw calls of copies in the last picture.
        self.draws = 0

    @property
    def radius(self) -> float:
        """Half of what the model is wide, in its own units."""
        return max(float(np.linalg.norm(self.high - self.low)) / 2, 1e-6)

    @property
    def step(self) -> float:
        """How far neighbors stand from each other."""
        return max(float(self.high[0] - self.low[0]), float(self.high[2] - self.low[2]), 1e-6) * 1.35

    @property
    def variants(self) -> list[str]:
        """Names of the variants, in the order of their rows, the first of which is row 1."""
        return [variant.name for variant in self.files.sheets[0].said.variants]

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
            for sheet in self.files.sheets
        )

    def camera(self, wanted: Copies) -> OrbitCamera:
        """One that shows all copies."""
        places = wanted["place"]
        low, high = self.low.copy(), self.high.copy()
        low[[0, 2]] += places.min(0)
        high[[0, 2]] += places.max(0)
        camera = OrbitCamera.around(low, high)
        return camera if len(wanted) == 1 else camera.turned(0, 30).zoomed(1.4)

    def release(self) -> None:
        """Give the memory back."""
        for array in (*self._arrays.values(), *self._fills, self._smooth[1]):
            array.release()
        self._crowd.release()
        for model in self._models:
            model.release()
        for sheet in self.sheets:
            for _, texture in sheet.textures:
                free(texture)
            if sheet.table is not None:
                sheet.table.release()
            sheet.program.release()
            sheet.kept.release()
        if self._kept is not None:
            self._kept.release()
        self._corners.release()

    def draw(
        self, target: moderngl.Framebuffer, size: tuple[int, int], camera: OrbitCamera, wanted: Copies, light: PlayLight, moment: Moment,
    ) -> None:  # fmt: skip
        """Draw copies into a target, over all of it: what each pixel shows in one draw call a sheet, then each pixel is
        shaded once, whatever the copies are."""
        ctx, (width, height) = self._ctx, size
        if self._kept is None or self._kept.size != size:
            if self._kept is not None:
                self._kept.release()
            self._kept = _Kept(ctx, size)
        kept = self._kept
        groups = self._grouped(wanted)
        if self._crowd.set(wanted):
            self._arrays.clear()
        pixels = min(width, height) * self.radius / max(camera.span / 2, 1e-9)
        level = next((len(_LEVELS) - at for at, (_, most) in enumerate(_LEVELS) if pixels < most), 0)
        lamps, sky = light.lamps()
        told: dict[str, Any] = {
            "u_clip": tuple(camera.matrix(width, height).T.reshape(-1).tolist()), "u_eye": tuple(camera.eye.tolist()),
            "u_seconds": moment.seconds, "u_flame": light.flame, "u_unlit": light.unlit, "u_to": moment.to, "u_turn": moment.turn,
            "ep_lamps": lamps, "ep_sky": sky, "ep_exposure": light.exposure, "ep_filmic": 0,
        }  # fmt: skip
        kept.target.use()
        ctx.scissor = None
        ctx.disable(moderngl.BLEND)
        kept.target.clear(0.0, 0.0, 0.0, 0.0, depth=1.0)
        ctx.enable(moderngl.DEPTH_TEST)
        self.draws = 0
        for number, sheet in enumerate(self.sheets):
            told["u_sheet"] = number
            _tell(sheet.kept, told)
            sheet.bind(sheet.kept, int(wanted["row"][0]))
            self._array(number, level).render(moderngl.TRIANGLES, instances=len(wanted))
            self.draws += 1
        kept.shaded.use()
        kept.shaded.depth_mask = False
        kept.shaded.clear(SURROUND, SURROUND, SURROUND, 0.0)
        # The quad lies just in front of the far plane: only where the model is anything is shaded.
        ctx.depth_func = ">"
        for unit, (_, texture) in enumerate(kept.textures.items()):
            texture.use(unit)
        for number, (sheet, fill) in enumerate(zip(self.sheets, self._fills, strict=True)):
            for group, row in groups.items():
                _tell(
                    sheet.program,
                    {
                        **told,
                        "u_sheet": number,
                        "u_group": group,
                        **{name: unit for unit, name in enumerate(kept.textures)},
                    },
                )
                sheet.bind(sheet.program, row, len(kept.textures))
                if sheet.files.table is None:
                    sheet.tell_values(row)
                fill.render(moderngl.TRIANGLE_STRIP)
        ctx.depth_func = "<"
        ctx.disable(moderngl.DEPTH_TEST)
        program, quad = self._smooth
        target.use()
        ctx.viewport = (0, 0, width, height)
        kept.picture.use(0)
        _tell(program, {"u_picture": 0, "u_scale": (1.0, 1.0), "u_blooms": 0.0, "u_corner": (0.0, 0.0)})
        quad.render(moderngl.TRIANGLE_STRIP)

    def shown(self) -> NDArray[np.int32]:
        """What each pixel of the last picture shows, (height, width, 2), first row last: the row of its variant and its
        number, -1 for nothing."""
        assert self._kept is not None
        which = np.frombuffer(self._kept.textures["kept_which"].read(), np.int32).reshape(*self._kept.size[::-1], 4)
        return np.where(which[..., 3:] > 0, which[..., :2], -1)

    def _grouped(self, wanted: Copies) -> dict[int, int]:
        """Tell copies which others they are shaded with: all where nothing is chosen among textures, else those with
        the same ones; of a kit without a table those of one variant. Returns a row of each group."""
        rows = sorted({int(row) for row in wanted["row"]})
        without = self.files.sheets[0].table is None
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

    def _read_mesh(self) -> tuple[list[_Model], F32, F32]:
        """The model of each sheet; a square for each where there is none."""
        if not self.files.mesh:
            corners = np.array([[-0.5, 0, 0, 0, 0, 1, 1, 0, 0, 1, 0, 1], [0.5, 0, 0, 0, 0, 1, 1, 0, 0, 1, 1, 1], [0.5, 1, 0, 0, 0, 1, 1, 0, 0, 1, 1, 0], [-0.5, 1, 0, 0, 0, 1, 1, 0, 0, 1, 0, 0]], np.float32)  # fmt: skip
            models = [_Model(self._ctx, corners, np.array([[0, 1, 2], [0, 2, 3]], np.uint32)) for _ in self.sheets]
            return models, np.array([-0.5, 0, 0], np.float32), np.array([0.5, 1, 0], np.float32)
        try:
            return self._models_of(self.files.mesh)
        except (KeyError, ValueError, IndexError, TypeError) as error:
            raise KitError(
                f"{self.files.folder / 'mesh.glb'} is not as a kit's mesh is. Deliver the kit again."
            ) from error

    def _models_of(self, content: bytes) -> tuple[list[_Model], F32, F32]:
        length = int.from_bytes(content[12:16], "little")
        said, body = json.loads(content[20 : 20 + length]), content[28 + length :]

        def numbers(accessor: int, width: int) -> NDArray:
            told = said["accessors"][accessor]
            offset = said["bufferViews"][told["bufferView"]].get("byteOffset", 0)
            kind = "<u4" if width == 1 else "<f4"
            return np.frombuffer(body, kind, told["count"] * width, offset).reshape(-1, width)

        names = [sheet.name for sheet in self.files.sheets]
        vertices: list[list[NDArray]] = [[] for _ in names]
        corners: list[list[NDArray]] = [[] for _ in names]
        for primitive in said["meshes"][0]["primitives"]:
            has, sheet = primitive["attributes"], primitive.get("extras", {}).get("sheet", "")
            at = names.index(sheet) if sheet in names else 0
            columns = [numbers(has["POSITION"], 3), numbers(has["NORMAL"], 3), numbers(has["TANGENT"], 4)]
            columns.append(numbers(has["TEXCOORD_0"], 2) if "TEXCOORD_0" in has else np.zeros((len(columns[0]), 2)))
            begin = sum(len(held) for held in vertices[at])
            vertices[at].append(np.concatenate(columns, 1))
            corners[at].append(numbers(primitive["indices"], 1).reshape(-1, 3) + begin)
        places = np.concatenate([part[:, :3] for held in vertices for part in held])
        low, high = places.min(0), places.max(0)
        nothing = np.zeros((1, 12), np.float32), np.zeros((1, 3), np.uint32)
        models = [
            _Model(self._ctx, np.concatenate(v), np.concatenate(c), float(np.max(high - low)))
            if v
            else _Model(self._ctx, *nothing)
            for v, c in zip(vertices, corners, strict=True)
        ]
        return models, low, high


def _tell(program: moderngl.Program, values: Mapping[str, Any]) -> None:
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
