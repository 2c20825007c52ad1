"""The recipe run for pixels: which shader a look needs, what it reads, what it is told."""

from collections.abc import Iterable, Iterator, Mapping, Sequence

import moderngl
import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import decode_srgb
from evenpalette.core.color.hexcode import parse_hex
from evenpalette.core.document.project import OpacityUse
from evenpalette.core.document.state import State
from evenpalette.core.light.environment import environment
from evenpalette.core.mesh.camera import OrbitCamera, PlaneView
from evenpalette.core.placement import Placement
from evenpalette.core.raster.mips import MipKind
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.recipe.attributes import ANISOTROPY, BASE_COLOR, EMISSIVE, NORMAL, OPACITY, STRANDS
from evenpalette.core.recipe.binding import BoundStep, Moment, binder_of
from evenpalette.core.recipe.samplers import BASE_SAMPLER, by_sampler
from evenpalette.core.recipe.shader import live_shader, made_attributes, written_values
from evenpalette.core.recipe.shader_text import ShaderText
from evenpalette.core.values import Value
from evenpalette.core.variants.between import between
from evenpalette.gpu.drawing import SURROUND, Viewport, begin
from evenpalette.gpu.elsewhere import Elsewhere
from evenpalette.gpu.look import Look, Show
from evenpalette.gpu.programs import BoundTexture, DrawCall, ViewPrograms
from evenpalette.gpu.shader_files import CORNER, tell, tell_bytes
from evenpalette.gpu.surface import SurfaceBuffer
from evenpalette.gpu.textures import TextureCache
from evenpalette.gpu.touched import Tiles
from evenpalette.gpu.view_text import LIGHTING, ViewText

#: What is read where there is nothing to read.
WHITE = Raster(np.full((1, 1, 3), 255, np.uint8), Encoding.SRGB)
#: Bindings of the recipe that are kept.
_MOST_BOUND = 16
_OPACITY_USES = (OpacityUse.OPAQUE, OpacityUse.CUT_OUT, OpacityUse.BLEND)


class Shading:
    """Runs the recipe of a document for the pixels of a view. All methods need the context to be current."""

    def __init__(self, ctx: moderngl.Context, elsewhere: Elsewhere | None) -> None:
        self._ctx = ctx
        self.textures = TextureCache(ctx, elsewhere=elsewhere)
        self.programs, self._text = ViewPrograms(ctx, elsewhere), ViewText()
        self._around: dict[str, moderngl.Texture] = {}
        self._trilinear = ctx.sampler(filter=(moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR))
        #: Pictures that are no textures of the document, by the name that a look calls them.
        self.extras: dict[str, Raster] = {}
        self._flagged: tuple[object, list[tuple[float, ...]]] = None, []
        self.set_state(State())

    def set_state(self, state: State, *, values_only: bool = False) -> None:
        """Run this document from now on. A new shader is compiled only when the recipe's structure changed.

        values_only: nothing else differs from the document before, so texts stay unless what is written into them
        differs.
        """
        before, self.state = getattr(self, "state", state), state
        if not values_only or before.sheet.steps is not state.sheet.steps:
            self._binder = binder_of(state.sheet.steps, state.region_ids)
        self._bound: dict[tuple[str | None, str, float, Moment], list[BoundStep]] = {}
        self.programs.told.clear()
        recipes = before.project.recipe, state.project.recipe
        if values_only and (recipes[0] is recipes[1] or written_values(recipes[0]) == written_values(recipes[1])):
            return
        self._shaders: dict[frozenset[str], ShaderText] = {}
        self._made = frozenset(made_attributes(state.project.recipe, state.starts, disabled_too=True))
        self._text.fit(len(state.region_ids))

    def shade(
        self, viewport: Viewport, parts: Sequence[Viewport], look: Look, *, target: moderngl.Framebuffer | None = None,
        buffer: SurfaceBuffer | None = None, plane: PlaneView | None = None, camera: OrbitCamera | None = None,
        below: moderngl.Texture | None = None, blooms: bool = False, tiles: Tiles | None = None,
    ) -> None:  # fmt: skip
        """Run the recipe for every pixel of parts of the viewport.

        The model is drawn into the room of its buffer, the texture plane into the target. below: what parts of other
        sheets show. blooms: what is sent out is kept apart, to be scattered. tiles: only these pixels of the parts.
        """
        parts = [part for part in parts if part[2] > 0 and part[3] > 0]
        if not parts:
            return
        if buffer is not None:
            target = buffer.bloom.target if blooms else buffer.shaded
        assert target is not None
        on_model = buffer is not None
        shader = self._shader(look, lit=on_model)
        pictures = self._pictures(shader, look, buffer, below)
        text = self._view_text(look, shader, lit=on_model, others=below is not None, blooms=blooms)
        program, quad = self.programs.of(text, DrawCall(pictures, target, on_model))
        begin(self._ctx, target, viewport, parts[0])
        if on_model:
            self._ctx.enable(moderngl.DEPTH_TEST)
            self._ctx.depth_func = ">"
            target.depth_mask = False
        units = self._bind(program, pictures)
        self._set_look(program, look, shader)
        tell(program, "u_corner", (float(viewport[0]), float(viewport[1])))
        tell(program, "u_surround", (SURROUND,) * 3)
        tell(program, "u_flat", int(plane is not None))
        if plane is not None:
            width, height = viewport[2], viewport[3]
            u, v = plane.to_uv(0, height, width, height)
            step = plane.span / min(width, height)
            tell(program, "u_plane", (u, v, step, -step))
        if camera is not None:
            self._set_light(program, look, camera, (viewport[2], viewport[3]))
        if tiles is not None:
            held = self._ctx.buffer(tiles.corners.tobytes())
            array = self._ctx.vertex_array(program, [(held, "2f", CORNER)])
        for part in parts:
            self._ctx.scissor = part
            if tiles is None:
                quad.render(moderngl.TRIANGLE_STRIP)
            else:
                array.render(moderngl.TRIANGLES)
        if tiles is not None:
            array.release()
            held.release()
        for unit in range(units):
            self._trilinear.clear(unit)
        self._ctx.depth_func = "<"
        self._ctx.disable(moderngl.DEPTH_TEST)

    def coverages(self, regions: Iterable[int]) -> list[NDArray[np.uint8]]:
        """The coverages of regions by their places, of those that have one."""
        ids, planes = self.state.region_ids, self.state.coverages
        return [planes[ids[n]] for n in regions if n < len(ids) and ids[n] in planes]

    def blooms(self, look: Look) -> bool:
        """Whether what the surface sends out is scattered in this look."""
        if look.show is not Show.RECIPE or not look.lit or not look.light.bloom or EMISSIVE not in self._made:
            return False
        return EMISSIVE in self.state.starts or any(
            op.writes == EMISSIVE and step.is_active(op) for step in self.bound(look) for op in step.kind.ops
        )

    def _set_light(self, program: moderngl.Program, look: Look, camera: OrbitCamera, size: tuple[int, int]) -> None:
        tell_bytes(program, "u_ray", camera.rays(*size).T.astype("f4").tobytes())
        light = look.light
        tell(program, "ep_sky", light.sky)
        tell(program, "ep_lamps", light.lamps)
        tell(program, "ep_exposure", light.gain)
        tell(program, "ep_filmic", int(light.filmic))
        if light.environment:
            tell(program, "ep_harmonics", environment(light.environment).harmonics)
            tell(program, "ep_turned", light.turned)

    def _shader(self, look: Look, *, lit: bool) -> ShaderText:
        """The recipe for the attributes that a look needs."""
        wanted = {BASE_COLOR}
        if look.show is Show.RECIPE:
            wanted |= {OPACITY} | (set(LIGHTING) if lit and look.lit else set())
        elif look.show is Show.ATTRIBUTE:
            wanted = {look.attribute, OPACITY}
        key = frozenset(wanted) & (self._made | {BASE_COLOR, look.attribute})
        if key not in self._shaders:
            self._shaders[key] = live_shader(self.state.project.recipe, self.state.shader_reads, key)
        return self._shaders[key]

    def _environment(self, key: str) -> moderngl.Texture:
        """The bands of an environment."""
        if key not in self._around:
            bands = environment(key).bands
            made = self._ctx.texture((bands.shape[1], bands.shape[0]), 1, bands.tobytes(), dtype="f4")
            made.filter = (moderngl.LINEAR, moderngl.LINEAR)
            made.repeat_y = False
            self._around[key] = made
        return self._around[key]

    def _view_text(self, look: Look, shader: ShaderText, *, lit: bool, others: bool, blooms: bool) -> str:
        """The shader for a look."""
        inspect = look.show in (Show.PAINTED, Show.TONE, Show.ID, Show.COVERAGE)
        lit = lit and look.lit and look.show in (Show.RECIPE, Show.PAINTED, Show.TONE)
        switches = {
            "INSPECT": inspect, "COMPARE": look.show is Show.DIFFERENCE, "FOCUS": look.focus >= 0, "LIT": lit,
            "NORMAL_MAP": NORMAL in self.state.starts, "OVERLAY": look.overlay > 0, "OTHERS": others,
            "BLOOM": lit and blooms, "EYES": not look.eyes.is_normal, "SIDED": not inspect and "float ep_side" in shader.text,
            "EP_ENVIRONED": lit and bool(look.light.environment), "EP_GRAINED": bool({STRANDS, ANISOTROPY} & set(shader.attributes)),
        }  # fmt: skip
        return self._text.of(shader, look.attribute, switches, inspect=inspect)

    def _set_look(self, program: moderngl.Program, look: Look, shader: ShaderText) -> None:
        if self.programs.told.get(program) == look:
            return
        self.programs.told[program] = look
        self.programs.tell(program, self._values_of(look, shader))

    def _values_of(self, look: Look, shader: ShaderText) -> Iterator[tuple[str, object]]:
        """The uniforms of a look by name."""
        steps = self.bound(look)
        last = len(steps) if look.steps is None else look.steps
        # A step that is not shown has an amount of 0; its rows keep theirs.
        amounts = [s.amount if i < last and not (look.alone and i != last - 1) else 0.0 for i, s in enumerate(steps)]
        for uniform in shader.uniforms:
            row = steps[uniform.step].rows[max(uniform.row, 0)]
            value: object
            if uniform.key == "amount":
                value = amounts[uniform.step] if uniform.row < 0 else row.amount
            else:
                value = row.values[uniform.key]
            if isinstance(value, Placement):
                value = value.uniform()
            yield uniform.name, tuple(value.tolist()) if isinstance(value, np.ndarray) else value
        flags = self._flags()
        if flags:
            yield "u_flags", flags if len(flags) > 1 else flags[0]
        if not look.eyes.is_normal:
            yield "u_eyes", tuple(look.eyes.matrix().T.reshape(-1).tolist())
        yield "u_show", int(look.show)
        yield "u_region", look.region
        yield "u_focus", look.focus
        yield "u_overlay", look.overlay
        yield "u_overlaid", self._overlaid(look.region)
        yield "u_opacity_use", _OPACITY_USES.index(self.state.sheet.opacity)

    def _flags(self) -> list[tuple[float, ...]]:
        """The flag color of each region, linear; worked out once for the same regions."""
        regions = self.state.project.regions
        if self._flagged[0] is not regions:
            codes = [np.array(parse_hex(region.flag)) / 255 for region in regions.regions]
            self._flagged = regions, [tuple(float(v) for v in decode_srgb(code)) for code in codes]
        return self._flagged[1]

    def bound(self, look: Look) -> list[BoundStep]:
        """The recipe with the values of a look, kept while the document stays: a turning camera asks again and
        again."""
        key = look.variant, look.into if look.turned else "", look.turned, Moment(look.copy, look.seconds)
        if key not in self._bound:
            if len(self._bound) > _MOST_BOUND:
                self._bound.clear()
            self._bound[key] = self._binder(self._values(look), key[-1])
        return self._bound[key]

    def _values(self, look: Look) -> dict[str, Value]:
        """The value of every parameter in a look."""
        values = self.state.values(look.variant)
        if not look.into or not look.turned:
            return values
        parameters = self.state.project.recipe.parameters
        return between(parameters, values, self.state.values(look.into), look.turned)

    def _overlaid(self, region: int) -> tuple[int, int]:
        """First and one past the last region of the division of a region, of the first division where there is none."""
        start = 0
        for sharing in self.state.sharings:
            if region < start + sharing.count:
                return start, start + sharing.count
            start += sharing.count
        return 0, start

    def _pictures(
        self, shader: ShaderText, look: Look, buffer: SurfaceBuffer | None, below: moderngl.Texture | None
    ) -> dict[str, BoundTexture]:
        """Every texture that a view reads, by the name of its sampler."""
        state = self.state
        wanted = {BASE_SAMPLER: BoundTexture(self.textures.of(state.base))}
        for sampler, named in by_sampler(list(zip(state.region_ids, state.sources.coverages, strict=True))).items():
            wanted[sampler] = BoundTexture(self.textures.of_planes(named))
        values = self._values(look)
        for sampler, sampled in shader.textures.items():
            chosen = sampled.chosen(values)
            raster = state.read_textures.get(chosen, WHITE)
            raster = raster if sampled.as_color else raster.with_encoding(Encoding.DATA)
            start = state.starts.get(NORMAL)
            kind = MipKind.NORMAL if start is not None and start.texture == chosen else MipKind.PLAIN
            # Between levels too, as placed reads are on the CPU.
            wanted[sampler] = BoundTexture(self.textures.of(raster, kind), self._trilinear if sampled.placed else None)
        if (start := state.starts.get(NORMAL)) is not None:
            stored = state.textures[start.texture].with_encoding(Encoding.DATA)
            wanted["u_normal_map"] = BoundTexture(self.textures.of(stored, MipKind.NORMAL))
        painted = look.texture or state.project.tone.painted or ""
        stored = self.extras.get(painted) or state.textures.get(painted, WHITE)
        # Data is shown by its stored values, as an image viewer would.
        is_data = bool(look.texture) and stored.encoding is Encoding.DATA
        wanted["u_painted"] = BoundTexture(self.textures.of(stored.with_encoding(Encoding.SRGB) if is_data else stored))
        wanted["u_tone"] = BoundTexture(self.textures.of(state.tone or WHITE))
        if buffer is not None and look.light.environment:
            wanted["ep_environment"] = BoundTexture(self._environment(look.light.environment))
        if below is not None:
            wanted["u_others"] = BoundTexture(below)
        for part in ("surface", "slopes", "normal", "tangent", "bitangent"):
            # The plane has no model to read: what is not looked at must still be some texture.
            wanted[f"u_{part}"] = BoundTexture(getattr(buffer, part)) if buffer is not None else wanted[BASE_SAMPLER]
        return wanted

    def _bind(self, program: moderngl.Program, pictures: Mapping[str, BoundTexture]) -> int:
        """Put every texture that the program reads on a unit; returns how many there are."""
        unit = 0
        for name, (texture, sampler) in pictures.items():
            # Not `in`: that asks every member for its name.
            if program.get(name, None) is not None:
                texture.use(unit)
                if sampler is not None:
                    sampler.use(unit)
                tell(program, name, unit)
                unit += 1
        return unit
