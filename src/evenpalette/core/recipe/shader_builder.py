"""The statements of a recipe as they come together: what its flavors have in common."""

import re
from collections.abc import Callable, Mapping, Sequence

from evenpalette.core.files import plain_text
from evenpalette.core.pcg import GLSL as PCG_GLSL
from evenpalette.core.placement import Placement
from evenpalette.core.raster.packing import Slot
from evenpalette.core.raster.reading import channel_index
from evenpalette.core.raster.sampling import GLSL as PLACED_GLSL
from evenpalette.core.raster.sampling import is_hardware
from evenpalette.core.raster.stochastic_tiling import GLSL as CELLS_GLSL
from evenpalette.core.raster.strips import GLSL as STRIP_GLSL
from evenpalette.core.recipe.attributes import ATTRIBUTES, BASE_COLOR, NORMAL, STEEPEST
from evenpalette.core.recipe.binding import map_read, prepare_value, read_binding
from evenpalette.core.recipe.cost import StepCost, reads_of, work_of
from evenpalette.core.recipe.kind import AMOUNT, CELLS, SIDE, UV, MapInput
from evenpalette.core.recipe.packed_reads import Packing, Plane
from evenpalette.core.recipe.pick import GLSL as PICK_GLSL
from evenpalette.core.recipe.plan import Plan
from evenpalette.core.recipe.recipe import Binding, Recipe, Row, Step
from evenpalette.core.recipe.samplers import BASE_SAMPLER, coverage_slot
from evenpalette.core.recipe.shader_frame import ENTRIES, SIDE_GLSL, TABLE_ENTRIES, coverage_text, struct_text
from evenpalette.core.recipe.shader_text import SampledTexture, ShaderReads, ShaderText, ShaderUniform
from evenpalette.core.recipe.shared import SHARED
from evenpalette.core.recipe.steps import kind_of
from evenpalette.core.recipe.table import TableLayout, table_text
from evenpalette.core.values import Input, ValueType

#: Step index, row index (-1: shared), input, binding -> an expression.
Expression = Callable[[int, int, Input, Binding | None], str]


def vector_text_of(values: Sequence[float]) -> str:
    """Numbers as a vector of their count, one as it is."""
    numbers = ", ".join(number_text(value) for value in values)
    return numbers if len(values) == 1 else f"vec{len(values)}({numbers})"


def number_text(value: float) -> str:
    """A number as GLSL reads it: never as an integer."""
    text = f"{value:.9g}"
    return text if any(mark in text for mark in ".e") else text + ".0"


class ShaderBuilder:
    """The statements of the recipe as they come together: all texture reads first, then a block for each step."""

    def __init__(
        self, recipe: Recipe, reads: ShaderReads, expression: Expression, planned: Plan, packing: Packing | None = None
    ) -> None:
        """packing: where planes lie that share textures."""
        self._packing: Packing = packing or {}
        #: Channels of textures that are read where they lie, by themselves or for a normal, in order.
        self.plain: dict[tuple[Plane, ...], None] = {}
        self._steps, self._reads, self._expression, self._plan = recipe.steps, reads, expression, planned
        self._parameters = {p.id: p for p in recipe.parameters if p.type is ValueType.TEXTURE}
        self._ids = {region: index for index, region in enumerate(reads.region_ids)}
        self.textures: dict[str, SampledTexture] = {}
        self._lines: dict[str, str] = {}
        self._functions: dict[str, None] = {}
        self._costs: list[StepCost] = []

    def build(
        self, uniforms: Callable[[], list[ShaderUniform]], table: TableLayout | None = None, *, is_given: bool = False
    ) -> ShaderText:
        """The text; uniforms: what the expressions came to need. table: from which it may read them instead. is_given:
        nothing is a uniform: `ep_surface_at` takes the textures behind its other arguments, and uniforms are globals
        that whoever calls it has set."""
        starts = "".join(self._start(a) for a in ATTRIBUTES if a in self._plan.attributes)
        blocks = "".join(self._step(index, step) for index, step in enumerate(self._steps) if self._plan.ops[index])
        said = blocks + "".join(self._lines.values())
        if "ep_pick" in said:
            self._functions = {PCG_GLSL: None, PICK_GLSL: None, **self._functions}
        if "ep_side" in said:
            self._functions = {SIDE_GLSL: None, **self._functions}
        covered = dict.fromkeys(self._coverage(region)[0] for region in range(len(self._ids)))
        packs = dict.fromkeys(sampler for sampler, _ in self._packing.values())
        samplers = tuple(dict.fromkeys((BASE_SAMPLER, *covered, *packs, *self.textures)))
        taken = "".join(f", sampler2D {name}" for name in samplers) if is_given else ""
        handed = "".join(f", {name}" for name in samplers) if is_given else ""
        made = uniforms()
        lines = [
            "#ifdef GL_ES",
            "precision highp float;",
            "precision highp int;",
            "precision highp sampler2D;",
            "#endif",
        ]
        lines += [f"uniform sampler2D {name};" for name in samplers if not is_given]
        kind = "" if is_given else "uniform "
        plain = "".join(f"{kind}{uniform.glsl_type} {uniform.name};\n" for uniform in made)
        shared = frozenset(name for name, glsl in SHARED.items() if glsl in self._functions)
        told, taking = (plain, "") if table is None else table_text(table, plain, has_oklab="oklab" in shared)
        head = "\n".join(lines) + "\n" + told
        places = [self._coverage(region) for region in range(len(self._ids))]
        coverages = coverage_text(self._reads, places, taken)
        wanted = tuple(key for key in ATTRIBUTES if key in self._plan.wanted)
        text = head + "".join(self._functions) + taking + coverages + struct_text(wanted)
        inner = "evenpalette_surface_grad" if table is None and not is_given else "ep_surface_at"
        text += f"\nEpSurface {inner}(vec2 uv, vec2 dx, vec2 dy, float seconds, uint copy{taken}) {{\n"
        text += "".join(f"    {line}\n" for line in self._lines.values())
        text += starts
        if self._ids:
            text += f"    ep_resolve(uv, dx, dy{handed});\n"
        text += blocks + "    EpSurface surface;\n"
        text += "".join(f"    surface.{key} = a_{key};\n" for key in wanted)
        text += "    return surface;\n}\n"
        if not is_given:
            text += ENTRIES if table is None else TABLE_ENTRIES
        if BASE_COLOR in wanted and not is_given:
            text += "\nvec3 evenpalette_recipe(vec2 uv) { return evenpalette_surface(uv, 0.0, 0u).base_color; }\n"
        costs = tuple(self._costs)
        return ShaderText(
            text, tuple(made), self.textures, samplers, wanted, head + coverages, shared, costs, self._packing
        )

    def _coverage(self, region: int) -> tuple[str, str]:
        """The sampler and channel of a region's coverage, by its place."""
        sampler, place = coverage_slot(region)
        return self._packing.get(Plane("", region), (sampler, place.letter))

    def _packed(self, planes: Sequence[Plane]) -> str:
        """An expression for planes that share textures with others; '' where they do not."""
        if any(plane not in self._packing for plane in planes):
            return ""
        read = []
        for plane in planes:
            sampler, letter = self._packing[plane]
            read.append(f"{self._once(f'textureGrad({sampler}, uv, dx, dy)', 'vec4', 'm')}.{letter}")
        return read[0] if len(read) == 1 else f"vec{len(read)}({', '.join(read)})"

    def _start(self, attribute: str) -> str:
        """What an attribute begins with. Attributes are held in variables named `a_<key>`."""
        described, start = ATTRIBUTES[attribute], self._reads.starts.get(attribute)
        if attribute not in self._plan.starts:
            text = described.glsl_neutral
        elif attribute == BASE_COLOR:
            text = f"textureGrad({BASE_SAMPLER}, uv, dx, dy).{'rgb' if self._reads.base_channels >= 3 else 'rrr'}"
        elif start is None or (start.texture and start.texture not in self._reads.channels):
            text = described.glsl_neutral
        elif not start.texture:
            text = vector_text_of(start.factor)
        else:
            # A normal is three planes that stay together, or two where the third follows from them; other data is one.
            count = 3 if attribute == NORMAL else 1
            places = range(3) if attribute == NORMAL else start.channels[:1]
            text = "" if start.as_color else self._data(start.texture, places)
            if not text and not (attribute == NORMAL and not start.as_color and self._two_of_normal(start.texture)):
                m = self._once(
                    f"textureGrad({self._sampler(SampledTexture(start.texture, start.as_color))}, uv, dx, dy)",
                    "vec4",
                    "m",
                )
                if start.as_color:
                    text = f"{m}.{'rgb' if self._reads.channels[start.texture] >= 3 else 'rrr'}"
                else:
                    text = f"{m}.xyz" if count == 3 else self._component(m, start.texture, start.channels[0])
            if attribute == NORMAL:
                two = "" if start.as_color else self._two_of_normal(start.texture)
                if two:
                    v = self._once(f"{two} * 2.0 - 1.0", "vec2", "n")
                    text = f"{v} / max(sqrt(max(1.0 - dot({v}, {v}), 0.0)), {STEEPEST})"
                else:
                    v = self._once(f"{text} * 2.0 - 1.0", "vec3", "n")
                    text = f"{v}.xy / max({v}.z, {STEEPEST})"
            if start.factor:
                text = f"({text}) * {vector_text_of(start.factor)}"
        return f"    {described.glsl} a_{attribute} = {text};\n"

    def _two_of_normal(self, texture: str) -> str:
        """An expression for the two stored planes of a normal whose third one lies nowhere; '' for other normals."""
        if Plane(texture, 2) in self._packing:
            return ""
        return self._packed((Plane(texture, 0), Plane(texture, 1)))

    def _data(self, texture: str, channels: Sequence[int]) -> str:
        """An expression for channels of a texture that share another one with more; '' where they lie where they are.
        What is read so is remembered."""
        count = self._reads.channels[texture]
        planes = tuple(Plane(texture, channel_index(count, channel)) for channel in channels)
        if any(plane.channel < 0 for plane in planes):
            return ""
        self.plain[planes] = None
        return self._packed(planes)

    def _component(self, read: str, texture: str, channel: int) -> str:
        count = self._reads.channels[texture]
        index = channel_index(count, channel)
        # Gray with alpha is stored as four channels.
        return "1.0" if index < 0 else f"{read}.{Slot(0, 3 if count == 2 and index == 1 else index).letter}"

    def _sampler(self, sampled: SampledTexture) -> str:
        found = next((name for name, held in self.textures.items() if held == sampled), None)
        if found is None:
            found = f"ep_map_{len(self.textures)}"
            self.textures[found] = sampled
        return found

    def _once(self, text: str, type_: str, prefix: str) -> str:
        """The name of a variable that holds this expression, written once before the steps."""
        if text not in self._lines:
            self._lines[text] = f"{type_} {prefix}{len(self._lines)} = {text};"
        return self._lines[text].split()[1]

    def _given(self, index: int, step: Step, row_index: int, row: Row, input: Input) -> str:
        """An expression for an input in a row: the row's own, else the one that all rows share (row -1)."""
        held = row_index if input.key in row.inputs else -1
        return self._expression(index, held, input, step.binding(row, input.key))

    def _map(self, index: int, step: Step, row_index: int, row: Row, map_: MapInput) -> str:
        """An expression for what a row reads through a map."""
        kind = kind_of(step.kind)
        if map_.looks_up:
            return self._looked_up(index, step, row_index, row, map_)
        binding = step.binding(row, map_.key)
        chooses = self._parameters.get(binding.parameter or "") if binding is not None else None
        named = chooses.choices[0] if chooses is not None else binding.value or "" if binding is not None else ""
        read = map_read(map_, str(named), Placement())
        count = self._reads.channels.get(read.texture, 0) if read is not None else 0
        if chooses is not None and count > 2:
            # Textures of three channels and of four: where a texture has none its alpha reads as one.
            count = 4
        follows = chooses.id if chooses is not None else ""
        if read is None or not count:
            neutral = ", ".join(number_text(value) for value in map_.neutral)
            return f"vec4({neutral})" if map_.whole else neutral
        place = step.binding(row, map_.placement.key)
        moves = place is not None and not place.is_plain
        constant = Placement.parse(str(read_binding(place, map_.placement, {}))) if not moves else Placement()
        if map_.cells:
            p = self._given(index, step, row_index, row, map_.placement)
            given = [self._given(index, step, row_index, row, kind.input(key)) for key in CELLS]
            many, chance = step.binding(row, "count"), kind.input("count")
            is_one = many is None or (many.is_plain and int(prepare_value(read_binding(many, chance, {}), chance)) <= 1)
            self._functions |= {PCG_GLSL: None, PLACED_GLSL: None, CELLS_GLSL: None}
            name = self._sampler(SampledTexture(read.texture, map_.whole, placed=True, parameter=follows))
            called = "ep_tile" if is_one else "ep_cells"
            m = self._once(
                f"{called}({name}, {p}, uv, dx, dy, seconds, {', '.join(given[: 3 if is_one else 6])})", "vec4", "m"
            )
        elif (
            not moves
            and constant.is_plain
            and not map_.whole
            and not follows
            and (text := self._data(read.texture, [read.channel or 0]))
        ):
            return f"(1.0 - {text})" if read.invert else text
        elif not moves and constant.is_plain:
            name = self._sampler(SampledTexture(read.texture, map_.whole, parameter=follows))
            m = self._once(f"textureGrad({name}, uv, dx, dy)", "vec4", "m")
        else:
            self._functions[PLACED_GLSL] = None
            name = self._sampler(SampledTexture(read.texture, map_.whole, placed=True, parameter=follows))
            p = self._given(index, step, row_index, row, map_.placement)
            function = "ep_laid" if not moves and is_hardware(constant) else "ep_placed"
            m = self._once(f"{function}({name}, {p}, uv, dx, dy, seconds)", "vec4", "m")
        if not map_.whole:
            text = self._component(m, read.texture, read.channel or 0)
            return f"(1.0 - {text})" if read.invert else text
        if count <= 2:
            return f"vec4({m}.rrr, {self._component(m, read.texture, 3)})"
        return m if count == 4 else f"vec4({m}.rgb, 1.0)"

    def _looked_up(self, index: int, step: Step, row_index: int, row: Row, map_: MapInput) -> str:
        """An expression for the color of an index texture by a strip."""
        kind = kind_of(step.kind)
        chosen = [step.binding(row, key) for key in (map_.key, map_.looks_up)]
        reads = [
            map_read(kind.map(key), str(binding.value or ""), Placement()) if binding is not None else None
            for key, binding in zip((map_.key, map_.looks_up), chosen, strict=True)
        ]
        if any(read is None or not self._reads.channels.get(read.texture, 0) for read in reads):
            return f"vec4({', '.join(number_text(value) for value in map_.neutral)})"
        positions, strip = reads
        assert positions is not None
        assert strip is not None
        self._functions[STRIP_GLSL] = None
        names = (
            self._sampler(SampledTexture(positions.texture, exact=True)),
            self._sampler(SampledTexture(strip.texture, True, exact=True)),
        )
        at = channel_index(self._reads.channels[positions.texture], positions.channel or 0)
        mask = "vec4({})".format(", ".join("1.0" if n == at else "0.0" for n in range(4)))
        given = [mask, "1.0" if positions.invert else "0.0"]
        given += [self._given(index, step, row_index, row, kind.input(key)) for key in map_.by]
        return self._once(f"ep_looked_up({', '.join((*names, 'uv, dx, dy', *given))})", "vec4", "m")

    def _step(self, index: int, step: Step) -> str:
        kind, ids = kind_of(step.kind), self._ids
        rows = [
            (k, row) for k, row in enumerate(step.rows) if row.regions is None or any(r in ids for r in row.regions)
        ]
        if not rows:
            return ""
        ops = self._plan.ops[index]
        parts = [kind.helpers, *([kind.weigh.glsl] if kind.weigh is not None else [])]
        for op in ops:
            parts += [*(SHARED[name] for name in op.shared), op.glsl]
        # A text of somebody's own may lack the end of its last line.
        self._functions.update(
            dict.fromkeys(part if not part or part.endswith("\n") else part + "\n" for part in parts)
        )
        maps = self._plan.maps_of(index, kind)
        amount = self._expression(index, -1, AMOUNT, step.amount)
        named = sorted({ids[r] for _, row in rows for r in row.regions or () if r in ids})
        arguments: list[dict[str, str]] = []
        for k, row in rows:
            given = {key: "uv" if key == UV else self._map(index, step, k, row, kind.map(key)) for key in maps}
            given[SIDE] = "ep_side"
            for op in ops:
                for key in (*op.takes, *([op.scale] if op.scale else []), *(kind.weigh.takes if kind.weigh else ())):
                    if key not in given:
                        given[key] = self._given(index, step, k, row, kind.input(key))
            arguments.append(given)
        text = f"    // {plain_text(step.name)}\n    {{\n"
        for k, row in rows:
            weight = f"{_coverage_sum(row, ids, named)} * {self._expression(index, k, AMOUNT, row.amount)} * {amount}"
            text += f"        float w{k} = {weight};\n"
        total = " + ".join(f"w{k}" for k, _ in rows)
        if len(rows) > 1:
            text += f"        float total = max(1.0, {total});\n"
        if kind.weigh is not None:
            for (k, _), given in zip(rows, arguments, strict=True):
                text += f"        w{k} *= ep_{kind.key}_weigh({', '.join(given[key] for key in kind.weigh.takes)});\n"
        for op in ops:
            type_ = ATTRIBUTES[op.writes].glsl
            text += f"        {type_} b_{op.writes} = a_{op.writes}, d_{op.writes} = {type_}(0.0);\n"
        before = {op.writes for op in ops}
        for op in ops:
            others = [f"b_{a}" if a in before else f"a_{a}" for a in op.reads]
            for (k, _), given in zip(rows, arguments, strict=True):
                called = ", ".join([f"b_{op.writes}", *(given[key] for key in op.takes), *others])
                weight = f"w{k} * float({given[op.scale]})" if op.scale else f"w{k}"
                made = f"(ep_{kind.key}_{op.writes}({called}) - b_{op.writes}) * {weight}"
                text += f"        if (w{k} > 0.0) d_{op.writes} += {made};\n"
        share = " / total" if len(rows) > 1 else ""
        for op in ops:
            text += f"        a_{op.writes} = b_{op.writes} + d_{op.writes}{share};\n"
        read = dict.fromkeys(re.findall(r"\bm\d+\b", text))
        lines = [line for line in self._lines.values() if line.split()[1] in read]
        work = work_of(text) + len(rows) * sum(work_of(op.glsl) for op in ops)
        self._costs.append(StepCost(step.id, reads_of(lines), work))
        return text + "    }\n"


def _coverage_sum(row: Row, ids: Mapping[str, int], named: Sequence[int]) -> str:
    if row.regions is None:
        return "clamp(1.0 - ({}), 0.0, 1.0)".format(" + ".join(f"ep_k{i}" for i in named)) if named else "1.0"
    used = [f"ep_k{ids[region]}" for region in row.regions if region in ids]
    return used[0] if len(used) == 1 else "min(1.0, {})".format(" + ".join(used))
