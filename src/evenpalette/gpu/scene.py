"""Draws a document: the model, the texture plane, and thumbnails of the model, all through the recipe's own GLSL."""

import re
from collections.abc import Sequence
from importlib.resources import files

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import decode_srgb
from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.errors import ShaderRefused
from evenpalette.core.placement import Placement
from evenpalette.core.project.model import OpacityUse
from evenpalette.core.project.state import State
from evenpalette.core.raster.box import Box
from evenpalette.core.raster.mips import MipKind
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import (
    ANISOTROPY,
    ANISOTROPY_ANGLE,
    ATTRIBUTES,
    BASE_COLOR,
    COAT,
    COAT_ROUGHNESS,
    EMISSIVE,
    HIGHLIGHT_TINT,
    METALLIC,
    NORMAL,
    OCCLUSION,
    OPACITY,
    ROUGHNESS,
    STRAND_SHAPE,
    STRAND_TINT,
    STRANDS,
    Holds,
)
from evenpalette.core.recipe.binding import BoundStep, Moment
from evenpalette.core.recipe.shader import ShaderText, live_shader, made_attributes
from evenpalette.gpu.camera import OrbitCamera, PlaneView
from evenpalette.gpu.geometry import MeshBuffers
from evenpalette.gpu.look import Look, Show
from evenpalette.gpu.surface import SurfaceBuffer
from evenpalette.gpu.surroundings import surroundings
from evenpalette.gpu.textures import SMOOTH, SQUARE, RoomMaker, TextureCache

#: The surround of color work: sRGB 119 (CIE L* about 50).
SURROUND = 119 / 255
Viewport = tuple[int, int, int, int]
_WHITE = Raster(np.full((1, 1, 3), 255, np.uint8), Encoding.SRGB)
_MOST_PROGRAMS = 16
#: What Form's light asks of a surface.
LIGHTING = (
    BASE_COLOR, METALLIC, ROUGHNESS, OCCLUSION, NORMAL, EMISSIVE, COAT, COAT_ROUGHNESS, HIGHLIGHT_TINT, ANISOTROPY, ANISOTROPY_ANGLE,
    STRANDS, STRAND_TINT, STRAND_SHAPE,
)  # fmt: skip
_OPACITY_USES = (OpacityUse.OPAQUE, OpacityUse.CUT_OUT, OpacityUse.BLEND)
#: Selected faces: a light veil, neutral, so that it is not taken for a color of the asset.
SELECTED = (1.0, 1.0, 1.0, 0.55)


def _shader_file(name: str) -> str:
    return (files("evenpalette.gpu") / "shaders" / name).read_text("utf-8")


class SceneRenderer:
    """Holds the GPU side of one document. All methods need the context to be current."""

    def __init__(self, ctx: moderngl.Context, *, alone: bool = False, rooms: RoomMaker | None = None) -> None:
        """alone: only the active sheet is drawn as it looks, the others are plain clay. rooms: makes large textures
        elsewhere; here where it is not given."""
        self.ctx, self._alone, self._rooms = ctx, alone, rooms
        #: What draws the other sheets, by sheet id.
        self._others: dict[str, SceneRenderer] = {}
        self._textures = TextureCache(ctx, rooms=rooms)
        self._view_vertex, self._view_fragment = _shader_file("view.vert"), _shader_file("view.frag")
        self._views: dict[str, tuple[moderngl.Program, moderngl.VertexArray]] = {}
        self._lines = ctx.program(_shader_file("lines.vert"), _shader_file("lines.frag"))
        self._surface = ctx.program(_shader_file("surface.vert"), _shader_file("surface.frag"))
        self._fill = ctx.program(_shader_file("fill.vert"), _shader_file("lines.frag"))
        self._chosen: moderngl.Buffer | None = None
        self._corners = ctx.buffer(np.array([[0, 0], [1, 0], [0, 1], [1, 1]], np.float32).tobytes())
        smooth = ctx.program(self._view_vertex, _shader_file("smooth.frag"))
        self._smooth = smooth, ctx.vertex_array(smooth, [(self._corners, "2f", "in_corner")])
        blur = ctx.program(self._view_vertex, _shader_file("blur.frag"))
        self._blur = blur, ctx.vertex_array(blur, [(self._corners, "2f", "in_corner")])
        self._around: dict[str, moderngl.Texture] = {}
        self._light = _shader_file("light.glsl")
        self._trilinear = ctx.sampler(filter=(moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR))
        self._surfaces: dict[str, SurfaceBuffer] = {}
        self._coarser: dict[str, int] = {}
        #: Pictures that are no textures of the document, by the name that a look calls them.
        self.extras: dict[str, Raster] = {}
        self._arrays: dict[tuple, moderngl.VertexArray] = {}
        self._buffers: MeshBuffers | None = None
        self._mesh: object = None
        self._drawn: dict[str, object] = {}
        self.set_state(State())

    def set_state(self, state: State) -> None:
        """Show this document from now on. A new shader is compiled only when the recipe's structure changed."""
        self._state = state
        self._take_others(state)
        mesh = state.mesh.mesh if state.mesh else None
        if self._buffers is None or mesh is not self._mesh:
            if self._buffers:
                self._buffers.release()
            self._buffers, self._mesh = MeshBuffers(self.ctx, mesh), mesh
            self._arrays.clear()
        self._shaders: dict[frozenset[str], ShaderText] = {}
        self._bound: dict[tuple[str | None, Moment], list[BoundStep]] = {}
        #: The look whose values a program has.
        self._told: dict[moderngl.Program, Look] = {}
        self._made = frozenset(made_attributes(state.project.recipe, state.starts, disabled_too=True))
        count = len(state.region_ids)
        text = self._view_fragment.replace("REGION_SLOTS", str(max(count, 1))).replace("REGION_COUNT", str(count))
        self._view_text = text.replace("REGION_LIST", ", ".join(f"ep_k{i}" for i in range(count)))

    def _take_others(self, state: State) -> None:
        """Have a renderer for every other sheet of the document."""
        if self._alone or state.mesh is None:
            self._others = {}
            return
        here = state.project.sheet.id
        ids = [sheet.id for sheet in state.project.sheets if sheet.id != here]
        self._others = {key: self._others.get(key) or SceneRenderer(self.ctx, alone=True, rooms=self._rooms) for key in ids}
        for key, other in self._others.items():
            other.set_state(state.on(key))

    def _others_picture(self, size: tuple[int, int], camera: OrbitCamera, look: Look, name: str) -> moderngl.Texture | None:
        """The parts of the other sheets as they look, each over what the one before left."""
        picture = None
        plain = Look(Show.RECIPE, look.variant, lit=look.lit, copy=look.copy, seconds=look.seconds)
        for other in self._others.values():
            picture = other.draw_as_other(size, camera, plain, picture, name)
        return picture

    def draw_as_other(self, size: tuple[int, int], camera: OrbitCamera, look: Look, below: moderngl.Texture | None, name: str) -> moderngl.Texture:
        """The model with this sheet as it looks and, elsewhere, the picture below."""
        buffer = self._surface_buffer(name, size, camera)
        project = self._state.project
        key = buffer.key, look, project.sheet, project.parameters, project.variants, below, self.is_waiting
        if key != self._drawn.get(name):
            self._clear_picture(buffer)
            whole = (0, 0, *size)
            self._shade(buffer.shaded, whole, whole, look, buffer=buffer, camera=camera, below=below)
            self._drawn[name] = key
        return buffer.picture

    def adopt(self, old: NDArray[np.uint8], new: NDArray[np.uint8]) -> None:
        """A coverage plane is drawn from now on as `new`, which so far differs from `old` only where patches say."""
        self._textures.adopt(old, new)

    def patch_coverages(self, regions: set[str], boxes: Sequence[Box]) -> None:
        """Texels of these regions' coverages changed in place, in boxes."""
        ids, planes = self._state.region_ids, list(self._state.sources.coverages)
        for group in {ids.index(region) // 4 for region in regions if region in ids}:
            self._textures.patch(planes[4 * group : 4 * group + 4], boxes)

    def set_selection(self, faces: NDArray[np.int64]) -> None:
        """Faces that Form and Flat mark as selected."""
        if self._chosen is not None:
            self._chosen.release()
            self._arrays = {k: v for k, v in self._arrays.items() if k[1] is not self._chosen}
        self._chosen = None
        mesh = self._state.mesh.mesh if self._state.mesh else None
        if mesh is not None and mesh.uvs is not None and len(faces):
            corners = np.concatenate([mesh.positions[mesh.faces[faces]], mesh.uvs[faces]], -1).astype(np.float32)
            self._chosen = self.ctx.buffer(corners.tobytes())

    def _draw_selection(self, clip: NDArray[np.float32], *, flat: bool) -> None:
        if self._chosen is None:
            return
        self.ctx.enable(moderngl.BLEND)
        self.ctx.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE
        self._fill["u_clip"].write(clip.T.tobytes())
        self._fill["u_flat"].value = int(flat)
        self._fill["u_color"].value = SELECTED
        self._array(self._fill, self._chosen, "3f 2f", "in_position", "in_uv").render(moderngl.TRIANGLES)
        self.ctx.disable(moderngl.BLEND)

    def faces_in(self, x: int, y: int, width: int, height: int, name: str = "form") -> NDArray[np.int32]:
        """The faces that the last drawn Form shows in a part of its viewport (origin bottom left), -1 for none."""
        buffer, coarser = self._drawn_last(name)
        if buffer is None:
            return np.full((0, 0), -1, np.int32)
        return buffer.read_faces(x // coarser, y // coarser, max(1, width // coarser), max(1, height // coarser))

    def places(self, name: str = "form") -> tuple[NDArray[np.int32], NDArray[np.float32]] | None:
        """Face and (u, v) of every pixel of the last drawn Form, rows from the bottom; None before the first."""
        buffer, _ = self._drawn_last(name)
        return None if buffer is None else buffer.read_places()

    def _drawn_last(self, name: str) -> tuple[SurfaceBuffer | None, int]:
        """What a view's pixels show, and how much coarser it is than the view."""
        coarser = self._coarser.get(name, 1)
        return self._surfaces.get(_room(name, coarser)), coarser

    @property
    def has_model(self) -> bool:
        """Whether there is a mesh to draw."""
        return self._buffers is not None and self._buffers.form is not None

    def clear(self, target: moderngl.Framebuffer, part: Viewport | None = None) -> None:
        """Fill the target, or a part of it, with the surround."""
        target.use()
        self.ctx.scissor = part
        target.clear(SURROUND, SURROUND, SURROUND, 1.0)

    def draw_form(
        self, target: moderngl.Framebuffer, viewport: Viewport, camera: OrbitCamera, looks: list[tuple[Look, float]],
        name: str = "form", coarser: int = 1,
    ) -> None:  # fmt: skip
        """Draw the model into a part of the target (origin bottom left).

        looks: what to show from the left on, each up to a share 0..1 of the width; one look up to 1.0 is the plain case.
        coarser: how many pixels of the target a drawn one is wide, for a camera that moves.
        """
        if not self.has_model:
            return
        # A coarse picture has a room of its own; where the pointer is, is asked of the one that was drawn last.
        self._coarser[name] = coarser
        size = max(1, viewport[2] // coarser), max(1, viewport[3] // coarser)
        buffer = self._surface_buffer(_room(name, coarser), size, camera)
        self._clear_picture(buffer)
        blooms = max((look.light.bloom for look, _ in looks if self._blooms(look)), default=0.0)
        if blooms:
            buffer.bloom.clear()
        for look, left, right in _bands(looks, size[0]):
            part = (left, 0, right - left, size[1])
            room = buffer.bloom.target if self._blooms(look) else buffer.shaded
            self._shade(room, (0, 0, *buffer.size), part, look, buffer=buffer, camera=camera, below=self._others_picture(size, camera, look, _room(name, coarser)))
        self._begin(buffer.shaded, (0, 0, *buffer.size), (0, 0, *buffer.size))
        self.ctx.enable(moderngl.DEPTH_TEST)
        self.ctx.depth_func = "<="
        self._draw_selection(camera.matrix(*buffer.size), flat=False)
        self.ctx.depth_func = "<"
        program, quad = self._smooth
        if blooms:
            buffer.bloom.blur(*self._blur, [(left / size[0], right / size[0]) for _, left, right in _bands(looks, size[0])])
        self._begin(target, viewport, viewport)
        buffer.picture.use(0)
        _set(program, "u_picture", 0)
        _set(program, "u_scale", (size[0] / viewport[2], size[1] / viewport[3]))
        _set(program, "u_blooms", blooms)
        if blooms:
            for unit, picture in enumerate(buffer.bloom.pictures, 1):
                picture.use(unit)
        _set(program, "u_bloom", [1, 2])
        _set(program, "u_corner", (float(viewport[0]), float(viewport[1])))
        quad.render(moderngl.TRIANGLE_STRIP)
        self.ctx.scissor = None

    def draw_flat(
        self, target: moderngl.Framebuffer, viewport: Viewport, view: PlaneView, looks: list[tuple[Look, float]],
        *, lines: bool,
    ) -> None:  # fmt: skip
        """Draw the texture plane and, with `lines`, the UV layout over it."""
        texel = min(viewport[2], viewport[3]) / view.span / max(self._state.sources.size)
        self._textures.magnify(SQUARE if texel > 3 else SMOOTH)
        for look, left, right in _bands(looks, viewport[2]):
            part = (viewport[0] + left, viewport[1], right - left, viewport[3])
            self._shade(target, viewport, part, look, plane=view)
        self._textures.magnify(SMOOTH)
        self._begin(target, viewport, viewport)
        self._draw_selection(view.matrix(viewport[2], viewport[3]), flat=True)
        if lines:
            self._draw_lines(view.matrix(viewport[2], viewport[3]), view)
        self.ctx.scissor = None

    def thumbnail(self, look: Look, camera: OrbitCamera, size: tuple[int, int]) -> bytes:
        """The model (the texture plane where there is none) as RGB bytes, rows from the top, drawn at twice the size."""
        width, height = size[0] * 2, size[1] * 2
        buffer = self._surface_buffer(f"thumbnail {size}", (width, height), camera)
        whole = (0, 0, width, height)
        self._clear_picture(buffer)
        if self.has_model:
            self._shade(buffer.shaded, whole, whole, look, buffer=buffer, camera=camera, below=self._others_picture((width, height), camera, look, f"thumbnail {size}"))
        else:
            self._shade(buffer.shaded, whole, whole, look, plane=PlaneView((0.5, 0.5), 1.0))
        self.ctx.scissor = None
        data = np.frombuffer(buffer.shaded.read(components=3), np.uint8).reshape(size[1], 2, size[0], 2, 3)
        small = (data.astype(np.uint16).sum((1, 3)) + 2) >> 2
        return np.ascontiguousarray(small[::-1].astype(np.uint8)).tobytes()

    def _clear_picture(self, buffer: SurfaceBuffer) -> None:
        self._begin(buffer.shaded, (0, 0, *buffer.size), (0, 0, *buffer.size))
        buffer.shaded.depth_mask = False
        buffer.shaded.clear(SURROUND, SURROUND, SURROUND, 0.0)

    @property
    def is_waiting(self) -> bool:
        """Whether coarse stand-ins are drawn for large textures that are still on their way."""
        return self._textures.is_waiting or any(other.is_waiting for other in self._others.values())

    def continue_uploads(self, seconds: float) -> bool:
        """Go on with large textures for about so long; True when what is drawn got finer."""
        arrived = self._textures.continue_uploads(seconds)
        for other in self._others.values():
            arrived = other.continue_uploads(seconds) or arrived
        if arrived:
            # What is cut out is part of what is kept for each pixel of the model.
            for surface in self._surfaces.values():
                surface.key = None
        return arrived

    def uv_at(self, x: int, y: int, name: str = "form") -> tuple[float, float] | None:
        """The (u, v) that the last drawn Form shows at a pixel of its viewport (origin bottom left)."""
        buffer, coarser = self._drawn_last(name)
        return buffer.read(x // coarser, y // coarser) if buffer is not None else None

    def _surface_buffer(self, name: str, size: tuple[int, int], camera: OrbitCamera) -> SurfaceBuffer:
        held = self._surfaces.get(name)
        if held is None or held.size != size:
            if held is not None:
                held.release()
            held = self._surfaces[name] = SurfaceBuffer(self.ctx, size)
        cut = self._cut_texture()
        key = (camera, id(self._mesh), id(cut.pixels) if cut is not None else 0)
        if held.key != key:
            self._draw_surface(held, camera, cut)
            held.key = key
        return held

    def _cut_texture(self) -> Raster | None:
        """The texture whose alpha cuts the surface out."""
        start = self._state.starts.get(OPACITY)
        cuts = self._state.project.sheet.opacity is OpacityUse.CUT_OUT
        return self._state.textures.get(start.texture) if start is not None and cuts else None

    def _draw_surface(self, buffer: SurfaceBuffer, camera: OrbitCamera, cut: Raster | None) -> None:
        width, height = buffer.size
        self._begin(buffer.target, (0, 0, width, height), (0, 0, width, height))
        buffer.target.clear(0.0, 0.0, 0.0, 0.0, depth=1.0)
        if self._buffers is None or self._buffers.form is None:
            return
        buffer.target.depth_mask = True
        self.ctx.enable(moderngl.DEPTH_TEST)
        program = self._surface
        program["u_clip"].write(camera.matrix(width, height).T.tobytes())
        _set(program, "u_cut", int(cut is not None))
        _set(program, "u_opacity_in", 3)
        self._textures.of(cut or _WHITE, MipKind.CUT_OUT if cut is not None else MipKind.PLAIN).use(0)
        _set(program, "u_opacity", 0)
        self._array(program, self._buffers.form, "3f 3f 2f", "in_position", "in_normal", "in_uv").render(
            moderngl.TRIANGLES
        )
        self.ctx.disable(moderngl.DEPTH_TEST)

    def _shade(
        self, target: moderngl.Framebuffer, viewport: Viewport, part: Viewport, look: Look,
        *, buffer: SurfaceBuffer | None = None, plane: PlaneView | None = None, camera: OrbitCamera | None = None,
        below: moderngl.Texture | None = None,
    ) -> None:  # fmt: skip
        """Run the recipe for every pixel of a part of the viewport. below: what parts of other sheets show."""
        if part[2] <= 0 or part[3] <= 0:
            return
        on_model = buffer is not None and plane is None
        shader = self._shader(look, lit=on_model)
        program, quad = self._view(look, shader, lit=on_model, others=below is not None)
        self._begin(target, viewport, part)
        if on_model:
            self.ctx.enable(moderngl.DEPTH_TEST)
            self.ctx.depth_func = ">"
            target.depth_mask = False
        unit = self._bind_textures(program, shader, look)
        self._set_look(program, look, shader)
        _set(program, "u_corner", (float(viewport[0]), float(viewport[1])))
        _set(program, "u_surround", (SURROUND,) * 3)
        _set(program, "u_flat", int(plane is not None))
        if plane is not None:
            width, height = viewport[2], viewport[3]
            u, v = plane.to_uv(0, height, width, height)
            step = plane.span / min(width, height)
            _set(program, "u_plane", (u, v, step, -step))
        if camera is not None:
            member = program.get("u_ray", None)
            if member is not None:
                member.write(camera.rays(viewport[2], viewport[3]).T.astype("f4").tobytes())
            _set(program, "u_sky", look.light.sky)
            _set(program, "u_lamps", look.light.lamps)
            _set(program, "u_gain", look.light.gain)
            _set(program, "u_filmic", int(look.light.filmic))
            if "u_surroundings" in program:
                self._surroundings(look.light.surroundings).use(unit)
                _set(program, "u_surroundings", unit)
                _set(program, "u_harmonics", surroundings(look.light.surroundings).harmonics)
                _set(program, "u_turned", look.light.turned)
                unit += 1
        if below is not None and "u_others" in program:
            below.use(unit)
            _set(program, "u_others", unit)
            unit += 1
        parts = ("surface", "slopes", "normal", "tangent", "bitangent")
        for name in parts:
            if f"u_{name}" in program:
                if buffer is not None:
                    getattr(buffer, name).use(unit)
                _set(program, f"u_{name}", unit if buffer is not None else 0)
                unit += buffer is not None
        quad.render(moderngl.TRIANGLE_STRIP)
        for held in range(unit):
            self._trilinear.clear(held)
        self.ctx.depth_func = "<"
        self.ctx.disable(moderngl.DEPTH_TEST)

    def _shader(self, look: Look, *, lit: bool) -> ShaderText:
        """The recipe for the attributes that a look needs."""
        wanted = {BASE_COLOR}
        if look.show is Show.RECIPE:
            wanted |= {OPACITY} | (set(LIGHTING) if lit and look.lit else set())
        elif look.show is Show.ATTRIBUTE:
            wanted = {look.attribute, OPACITY}
        key = frozenset(wanted) & (self._made | {BASE_COLOR, look.attribute})
        if key not in self._shaders:
            self._shaders[key] = live_shader(self._state.project.recipe, self._state.shader_reads, key)
        return self._shaders[key]

    def _blooms(self, look: Look) -> bool:
        """Whether what the surface sends out is scattered in this look."""
        if look.show is not Show.RECIPE or not look.lit or not look.light.bloom or EMISSIVE not in self._made:
            return False
        return EMISSIVE in self._state.starts or any(op.writes == EMISSIVE and step.is_active(op) for step in self._steps(look) for op in step.kind.ops)

    def _surroundings(self, key: str) -> moderngl.Texture:
        """The picture of surroundings."""
        if key not in self._around:
            bands = surroundings(key).bands
            made = self.ctx.texture((bands.shape[1], bands.shape[0]), 1, bands.tobytes(), dtype="f4")
            made.filter = (moderngl.LINEAR, moderngl.LINEAR)
            made.repeat_y = False
            self._around[key] = made
        return self._around[key]

    def _view(self, look: Look, shader: ShaderText, *, lit: bool, others: bool = False) -> tuple[moderngl.Program, moderngl.VertexArray]:
        """The program for a look. Software drivers run every branch, so looks that need less get one that has less."""
        inspect = look.show in (Show.PAINTED, Show.TONE, Show.ID, Show.COVERAGE)
        lit = lit and look.lit and look.show in (Show.RECIPE, Show.PAINTED, Show.TONE)
        text = self._view_text.replace("//RECIPE//", shader.without_steps if inspect else shader.text)
        text = text.replace("//LIGHT//", self._light if lit else "")
        switches = {
            "INSPECT": inspect, "COMPARE": look.show is Show.DIFFERENCE, "FOCUS": look.focus >= 0, "LIT": lit,
            "NORMAL_MAP": NORMAL in self._state.starts, "OVERLAY": look.overlay > 0, "OTHERS": others,
            "BLOOM": lit and self._blooms(look), "SIDED": not inspect and "float ep_side" in shader.text,
            "SURROUNDED": lit and bool(look.light.surroundings), "GRAINED": bool({STRANDS, ANISOTROPY} & set(shader.attributes)),
        }  # fmt: skip
        defines = "".join(f"#define {name} {int(on)}\n" for name, on in switches.items())
        defines += _surface_words(shader.attributes, look.attribute)
        text = text.replace("#version 330 core\n", "#version 330 core\n" + defines, 1)
        if text not in self._views:
            program = self._program(text)
            quad = self.ctx.vertex_array(program, [(self._corners, "2f", "in_corner")])
            self._views[text] = program, quad
            while len(self._views) > _MOST_PROGRAMS:
                gone, drawn = self._views.pop(next(iter(self._views)))
                self._told.pop(gone, None)
                drawn.release()
                gone.release()
        return self._views[text]

    def _program(self, fragment: str) -> moderngl.Program:
        """The program of a fragment shader. Raises ShaderRefused with the driver's words and the line they are of."""
        try:
            return self.ctx.program(self._view_vertex, fragment)
        except moderngl.Error as error:
            raise ShaderRefused(_refusal(str(error), fragment)) from error

    def _set_look(self, program: moderngl.Program, look: Look, shader: ShaderText) -> None:
        if self._told.get(program) == look:
            return
        self._told[program] = look
        steps = self._steps(look)
        last = len(steps) if look.steps is None else look.steps
        # A step that is not shown has an amount of 0; its rows keep theirs.
        amounts = [s.amount if i < last and not (look.alone and i != last - 1) else 0.0 for i, s in enumerate(steps)]
        for uniform in shader.uniforms:
            row = steps[uniform.step].rows[max(uniform.row, 0)]
            if uniform.key == "amount":
                value = amounts[uniform.step] if uniform.row < 0 else row.amount
            else:
                value = row.values[uniform.key]
            if isinstance(value, Placement):
                value = value.uniform()
            _set(program, uniform.name, tuple(float(v) for v in value) if isinstance(value, np.ndarray) else value)
        regions = self._state.project.regions.regions
        flags = [tuple(float(v) for v in decode_srgb(np.array(parse_hex(r.flag)) / 255)) for r in regions]
        if flags:
            _set(program, "u_flags", flags if len(flags) > 1 else flags[0])
        _set(program, "u_show", int(look.show))
        _set(program, "u_region", look.region)
        _set(program, "u_focus", look.focus)
        _set(program, "u_overlay", look.overlay)
        _set(program, "u_overlaid", self._overlaid(look.region))
        _set(program, "u_opacity_use", _OPACITY_USES.index(self._state.project.sheet.opacity))

    def _steps(self, look: Look) -> list[BoundStep]:
        """The recipe with the values of a look, kept while the document stays: a turning camera asks again and again."""
        key = look.variant, Moment(look.copy, look.seconds)
        if key not in self._bound:
            if len(self._bound) > _MOST_PROGRAMS:
                self._bound.clear()
            self._bound[key] = self._state.bound_steps(*key)
        return self._bound[key]

    def _overlaid(self, region: int) -> tuple[int, int]:
        """First and one past the last region of the division of a region, of the first division where there is none."""
        start = 0
        for sharing in self._state.sharings:
            if region < start + sharing.count:
                return start, start + sharing.count
            start += sharing.count
        return 0, start

    def _bind_textures(self, program: moderngl.Program, shader: ShaderText, look: Look) -> int:
        """Put every texture the recipe reads on a unit; returns the next free one."""
        state = self._state
        planes = list(state.sources.coverages)
        wanted: dict[str, moderngl.Texture] = {"ep_base": self._textures.of(state.base)}
        for k in range(shader.coverage_samplers):
            wanted[f"ep_coverage_{k}"] = self._textures.of_planes(planes[4 * k : 4 * k + 4])
        values = state.values(look.variant)
        for sampler, sampled in shader.textures.items():
            chosen = sampled.chosen(values)
            raster = state.textures.get(chosen, _WHITE)
            raster = raster if sampled.as_color else raster.with_encoding(Encoding.DATA)
            start = state.starts.get(NORMAL)
            kind = MipKind.NORMAL if start is not None and start.texture == chosen else MipKind.PLAIN
            wanted[sampler] = self._textures.of(raster, kind)
        if (start := state.starts.get(NORMAL)) is not None:
            wanted["u_normal_map"] = self._textures.of(state.textures[start.texture].with_encoding(Encoding.DATA), MipKind.NORMAL)
        painted = look.texture or state.project.tone.painted or ""
        stored = self.extras.get(painted) or state.textures.get(painted, _WHITE)
        # Data is shown by its stored values, as an image viewer would.
        is_data = bool(look.texture) and stored.encoding is Encoding.DATA
        wanted["u_painted"] = self._textures.of(stored.with_encoding(Encoding.SRGB) if is_data else stored)
        wanted["u_tone"] = self._textures.of(state.tone or _WHITE)
        unit = 0
        for name, texture in wanted.items():
            if name in program:
                texture.use(unit)
                program[name].value = unit
                if name in shader.textures and shader.textures[name].placed:
                    # Between levels too, as placed reads are on the CPU.
                    self._trilinear.use(unit)
                unit += 1
        return unit

    def _draw_lines(self, clip: np.ndarray, view: PlaneView) -> None:
        assert self._buffers is not None
        self.ctx.enable(moderngl.BLEND)
        # The alpha of the target stays 1: the window would let what lies behind shine through.
        self.ctx.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE
        self._lines["u_clip"].write(clip.T.tobytes())
        dense = min(0.22, 0.07 / view.span)
        for buffer, alpha in ((self._buffers.inner, dense), (self._buffers.borders, 0.75)):
            if buffer is not None:
                self._lines["u_color"].value = (0.95, 0.95, 0.95, alpha)
                self._array(self._lines, buffer, "2f", "in_uv").render(moderngl.LINES)
        self.ctx.disable(moderngl.BLEND)

    def _array(
        self, program: moderngl.Program, buffer: moderngl.Buffer, layout: str, *names: str
    ) -> moderngl.VertexArray:
        key = (program, buffer)
        if key not in self._arrays:
            self._arrays[key] = self.ctx.vertex_array(program, [(buffer, layout, *names)])
        return self._arrays[key]

    def _begin(self, target: moderngl.Framebuffer, viewport: Viewport, scissor: Viewport) -> None:
        target.use()
        self.ctx.viewport = viewport
        self.ctx.scissor = scissor
        self.ctx.disable(moderngl.BLEND | moderngl.CULL_FACE | moderngl.DEPTH_TEST)


def _surface_words(made: Sequence[str], attribute: str) -> str:
    """What the view's shader calls the parts of the surface that there are; the others are neutral."""

    def part(key: str) -> str:
        return f"s.{key}" if key in made else ATTRIBUTES[key].glsl_neutral

    finish = ", ".join(part(key) for key in (BASE_COLOR, METALLIC, ROUGHNESS, OCCLUSION, COAT, COAT_ROUGHNESS))
    grain = ", ".join(part(key) for key in (ANISOTROPY_ANGLE, ANISOTROPY, STRANDS, HIGHLIGHT_TINT, STRAND_TINT, STRAND_SHAPE))
    shown = {
        Holds.COLOR: "encode_color({})", Holds.LIGHT: "encode_color({})", Holds.DATA: "vec3({})",
        Holds.SLOPES: "normalize(vec3({}, 1.0)) * 0.5 + 0.5",
    }  # fmt: skip
    key = attribute or BASE_COLOR
    words = {
        "LIT_GRAIN": grain, "LIT_FINISH": f"Finish({finish})", "LIT_SLOPES": part(NORMAL), "LIT_EMISSIVE": part(EMISSIVE),
        "SHOWN": shown[ATTRIBUTES[key].holds].format(part(key)), "COATED": "1.0" if COAT in made else "0.0",
    }  # fmt: skip
    lines = "".join(f"#define {name} {text}\n" for name, text in words.items())
    return lines + ("#define HAS_OPACITY\n" if OPACITY in made else "")


def _refusal(said: str, text: str) -> str:
    """What a driver says of a shader, with the line of the text: 'file:line(column): words' or 'file(line) : words'."""
    found = re.search(r"^\s*\d+(?::(\d+)\(\d+\)|\((\d+)\)\s*):\s*(?:error:\s*)?(.+)$", said, re.MULTILINE)
    if found is None:
        words = next((line.strip() for line in said.splitlines() if line.strip() and set(line.strip()) != {"="}), "it says no reason")
        return f"The graphics driver refuses the shader of this recipe: {words[:200]}. The last good picture stays."
    line, lines = int(found[1] or found[2]), text.splitlines()
    quoted = lines[line - 1].strip() if 0 < line <= len(lines) else ""
    return f"The graphics driver refuses the shader of this recipe: {found[3].strip()[:160]}, in line {line}, '{quoted[:80]}'. The last good picture stays."


def _room(name: str, coarser: int) -> str:
    """What the buffer of a view is kept under."""
    return name if coarser == 1 else f"{name} coarse"


def _bands(looks: list[tuple[Look, float]], width: int) -> list[tuple[Look, int, int]]:
    """Looks with the columns they fill."""
    bands, left = [], 0
    for look, share in looks:
        right = min(width, max(left, round(share * width)))
        bands.append((look, left, right))
        left = right
    return bands


def _set(program: moderngl.Program, name: str, value: object) -> None:
    """Set a uniform that the compiler may have dropped because nothing reads it."""
    member = program.get(name, None)
    if member is not None:
        member.value = value
