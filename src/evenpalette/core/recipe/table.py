"""All variants in one texture: a row of texels a variant, from which shader text reads its parameters."""

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color import oklab
from evenpalette.core.dataclass import dataclass
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.values import Value

LETTERS = "rgba"
#: Sampler of the table, uniform of the row, and the define that lets text read them.
TABLE, ROW, DEFINE = "ep_table", "ep_row", "EP_TABLE"
#: Functions of the text that set the parameters by a row, and between two.
TAKE, TAKE_BETWEEN = "ep_take_row", "ep_take_between"


@dataclass(frozen=True)
class TablePlace:
    """Where a parameter lies in a row: its first texel and components; a matrix has four texels, a column each."""

    uniform: str
    glsl: str
    parameter: Parameter
    texel: int
    components: str

    @property
    def texels(self) -> int:
        """How many texels it takes."""
        return 4 if self.glsl == "mat4" else 1


@dataclass(frozen=True)
class TableLayout:
    """Every parameter's place; texels of a row, at least one."""

    places: tuple[TablePlace, ...]
    width: int


def table_layout(parameters: Sequence[tuple[str, str, Parameter]]) -> TableLayout:
    """Places for uniforms: (name, GLSL type, parameter). The widest come first; narrow ones fill what is left."""
    sizes = {"mat4": 16, "vec4": 4, "vec3": 3, "vec2": 2}
    left: list[int] = []
    places: dict[str, TablePlace] = {}
    for name, glsl, parameter in sorted(parameters, key=lambda given: -sizes.get(given[1], 1)):
        size = min(sizes.get(glsl, 1), 4)
        if glsl == "mat4":
            places[name] = TablePlace(name, glsl, parameter, len(left), LETTERS)
            left += [4, 4, 4, 4]
            continue
        texel = next((at for at, used in enumerate(left) if used + size <= 4), len(left))
        if texel == len(left):
            left.append(0)
        begin = left[texel]
        left[texel] += size
        places[name] = TablePlace(name, glsl, parameter, texel, LETTERS[begin : begin + size])
    return TableLayout(tuple(places[name] for name, _, _ in parameters), max(1, len(left)))


def table_rows(layout: TableLayout, rows: Sequence[Mapping[str, Value]]) -> NDArray[np.float32]:
    """The texels, float32 (rows, width, 4). rows: of each variant the value of every parameter, by its id."""
    made = np.zeros((len(rows), layout.width, 4), np.float32)
    for line, values in zip(made, rows, strict=True):
        for place in layout.places:
            numbers = place.parameter.input.numbers(values[place.parameter.id])
            if place.texels > 1:
                line[place.texel : place.texel + 4] = np.reshape(numbers, (4, 4))
            else:
                begin = LETTERS.index(place.components[0])
                line[place.texel, begin : begin + len(numbers)] = numbers
    return made


def table_text(layout: TableLayout, uniforms: str, *, has_oklab: bool) -> tuple[str, str]:
    """What the text declares, before its functions, and the functions that take rows, behind them. uniforms: what is
    declared where there is no table. has_oklab: whether the functions hold those of OKLab."""
    globals_ = "".join(f"{place.glsl} {place.uniform};\n" for place in layout.places)
    declared = (
        f"#ifdef {DEFINE}\nuniform sampler2D {TABLE};  // variants.f32: a row a variant\nuniform int {ROW};\n{globals_}#else\n"
        f"{uniforms}#endif\n"
    )
    texels = range(layout.width)
    one = "".join(f"    vec4 a{k} = texelFetch({TABLE}, ivec2({k}, row), 0);\n" for k in texels)
    both = "".join(
        f"    vec4 a{k} = texelFetch({TABLE}, ivec2({k}, row_a), 0), b{k} = texelFetch({TABLE}, ivec2({k}, row_b), 0);\n"
        for k in texels
    )
    taken = "".join(f"    {place.uniform} = {_taken(place)};\n" for place in layout.places)
    between = "".join(f"    {place.uniform} = {_between(place)};\n" for place in layout.places)
    functions = (
        f"#ifdef {DEFINE}\n{'' if has_oklab else oklab.GLSL}"
        "vec3 ep_mixed_color(vec3 a, vec3 b, float t) { return ep_from_oklab(mix(ep_oklab(a), ep_oklab(b), t)); }\n"
        f"void {TAKE}(int row) {{\n{one}{taken}}}\n"
        f"void {TAKE_BETWEEN}(int row_a, int row_b, float t) {{\n    bool later = t >= 0.5;\n{both}{between}}}\n#endif\n"
    )
    return declared, functions


def _read(place: TablePlace, row: str) -> str:
    if place.texels > 1:
        return f"mat4({', '.join(f'{row}{place.texel + k}' for k in range(4))})"
    return f"{row}{place.texel}" + ("" if place.components == LETTERS else f".{place.components}")


def _taken(place: TablePlace) -> str:
    read = _read(place, "a")
    return f"int(floor({read} + 0.5))" if place.glsl == "int" else read


def _between(place: TablePlace) -> str:
    """Colors in OKLab, numbers plainly; what has no between (choices, switches, how a texture is laid) by the half."""
    a, b = _read(place, "a"), _read(place, "b")
    return place.parameter.input.kind.between(a, b)
