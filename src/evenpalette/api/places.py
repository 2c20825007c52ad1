"""What a project is asked about: parameters, regions, steps, findings, as plain and frozen things."""

from evenpalette.core.dataclass import dataclass

#: What a parameter can have: a color as '#rrggbb', a number, a word, a switch; everything else as its text.
Value = str | float | int | bool


@dataclass(frozen=True)
class Parameter:
    """A named value of the recipe that variants set.

    type: color, number, integer, choice, switch, texture, vector, stops or placement. low, high: the range of numbers,
    in `unit`. choices: of a choice its words, of a texture the names of those to choose among, of a vector the names
    of its numbers. default: what a variant has that sets nothing.
    """

    id: str
    name: str
    type: str
    default: Value
    low: float
    high: float
    unit: str
    choices: tuple[str, ...]
    group: str


@dataclass(frozen=True)
class Region:
    """A part of the surface that is recolored on its own. number: as the kit counts them, from 1; 0 for one of another
    sheet than the first. share: its part of the used texture, 0..1."""

    id: str
    name: str
    division: str
    sheet: str
    number: int
    share: float


@dataclass(frozen=True)
class Step:
    """A step of the recipe, in order. kind: its key. enabled: whether it is switched on. regions: names of those that
    its rows are for; of one without any it is everywhere."""

    id: str
    name: str
    kind: str
    sheet: str
    enabled: bool
    regions: tuple[str, ...]


@dataclass(frozen=True)
class Finding:
    """Something that is wrong or doubtful. code: a stable word for scripts. weight: 'wrong', 'poor' or 'tidy'. text: in
    a sentence. place: (u, v) with v down, None where it has none."""

    code: str
    weight: str
    station: str
    text: str
    region: str
    place: tuple[float, float] | None


@dataclass(frozen=True)
class Pair:
    """Two variants held against each other. a, b: their names. distance: over all that is seen, units of CIEDE2000,
    root mean square; finish and light are weighed in. region: where they differ most, '' for the whole."""

    a: str
    b: str
    distance: float
    region: str
