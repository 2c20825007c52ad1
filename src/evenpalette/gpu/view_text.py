"""The shader of the views, made for a recipe and for what is looked at."""

from collections.abc import Mapping, Sequence

from evenpalette.core.light.model import light_glsl
from evenpalette.core.recipe.attributes import (
    ANISOTROPY,
    ANISOTROPY_ANGLE,
    ATTRIBUTES,
    BASE_COLOR,
    COAT,
    COAT_ROUGHNESS,
    CUT,
    EMISSIVE,
    HIGHLIGHT_TINT,
    METALLIC,
    NORMAL,
    OCCLUSION,
    OPACITY,
    ROUGHNESS,
    STEEPEST,
    STRAND_SHAPE,
    STRAND_TINT,
    STRANDS,
    Holds,
)
from evenpalette.core.recipe.shader_text import ShaderText
from evenpalette.core.recipe.shared import SHARED
from evenpalette.gpu.shader_files import defined, shader_file

#: What Form's light asks of a surface.
LIGHTING = (
    BASE_COLOR, METALLIC, ROUGHNESS, OCCLUSION, NORMAL, EMISSIVE, COAT, COAT_ROUGHNESS, HIGHLIGHT_TINT, ANISOTROPY, ANISOTROPY_ANGLE,
    STRANDS, STRAND_TINT, STRAND_SHAPE,
)  # fmt: skip


#: Texts that are kept: a picture of both views asks for up to five, again and again.
_MOST_TEXTS = 12


class ViewText:
    """The shader of the views, made for a number of regions."""

    def __init__(self) -> None:
        self._whole, self._light = shader_file("view.frag"), light_glsl()
        #: Texts that were made last, with what they were made for.
        self._last: list[tuple[ShaderText, tuple[object, ...], str]] = []
        self.fit(0)

    def fit(self, regions: int) -> None:
        """Be the text for so many regions."""
        text = self._whole.replace("REGION_SLOTS", str(max(regions, 1))).replace("REGION_COUNT", str(regions))
        self._text = text.replace("REGION_LIST", ", ".join(f"ep_k{i}" for i in range(regions)))
        self._last = []

    def of(self, shader: ShaderText, attribute: str, switches: Mapping[str, bool], *, inspect: bool) -> str:
        """The text that runs a recipe and shows an attribute, or with inspect one that runs no recipe. Software drivers
        run every branch, so looks that need less get a text that has less. switches: LIT is whether there is light."""
        key = attribute, inspect, tuple(switches.items())
        for known, asked, text in self._last:
            if known is shader and asked == key:
                return text
        made = self._make(shader, attribute, switches, inspect=inspect)
        self._last = [(shader, key, made), *self._last[: _MOST_TEXTS - 1]]
        return made

    def _make(self, shader: ShaderText, attribute: str, switches: Mapping[str, bool], *, inspect: bool) -> str:
        recipe = shader.without_steps if inspect else shader.text
        if inspect or "encoding" not in shader.shared:
            recipe = SHARED["encoding"] + recipe
        text = self._text.replace("//RECIPE//", recipe).replace("//LIGHT//", self._light if switches["LIT"] else "")
        words = {name: int(on) for name, on in switches.items()} | _surface_words(shader.attributes, attribute)
        return defined(text, {"STEEPEST": STEEPEST, "CUT": CUT, **words})


def _surface_words(made: Sequence[str], attribute: str) -> dict[str, str]:
    """What the view's shader calls the parts of the surface that there are; the others are neutral."""

    def part(key: str) -> str:
        return f"s.{key}" if key in made else ATTRIBUTES[key].glsl_neutral

    finish = ", ".join(part(key) for key in (BASE_COLOR, METALLIC, ROUGHNESS, OCCLUSION, COAT, COAT_ROUGHNESS))
    grain = ", ".join(
        part(key) for key in (ANISOTROPY_ANGLE, ANISOTROPY, STRANDS, HIGHLIGHT_TINT, STRAND_TINT, STRAND_SHAPE)
    )
    shown = {
        Holds.COLOR: "encode_color({})", Holds.LIGHT: "encode_color({})", Holds.DATA: "vec3({})",
        Holds.SLOPES: "normalize(vec3({}, 1.0)) * 0.5 + 0.5",
    }  # fmt: skip
    key = attribute or BASE_COLOR
    words = {
        "LIT_GRAIN": grain, "LIT_FINISH": f"EpFinish({finish})", "LIT_SLOPES": part(NORMAL), "LIT_EMISSIVE": part(EMISSIVE),
        "SHOWN": shown[ATTRIBUTES[key].holds].format(part(key)), "EP_COATED": "1.0" if COAT in made else "0.0",
    }  # fmt: skip
    return words | ({"HAS_OPACITY": "1"} if OPACITY in made else {})
