"""The plain light of Form: a white furnace, and the formulas of glTF 2.0, appendix B, at angles worked out here."""

import numpy as np
import pytest

from evenpalette.core.light.ball import lit_sample
from evenpalette.core.light.environment import BANDS, COLUMNS, ROWS, blurred, directions, environment, harmonics_of
from evenpalette.core.light.lamps import SET_UPS, Light
from evenpalette.core.light.model import Finish, light_glsl, lit
from tests.helpers.glsl import Game

LIGHT = light_glsl()
LAMPS = np.array([lamp[:3] for lamp in Light().lamps])
STRENGTHS = tuple(lamp[3] for lamp in Light().lamps)


@pytest.fixture(scope="module")
def game() -> Game:
    return Game()


def shone(
    game: Game, finish: str, normal: str, to_eye: str, *, sky: tuple[float, float], lamps: float, size: tuple[int, int], grain: str = "",
) -> np.ndarray:  # fmt: skip
    """What the shader gives, (height, width, 3). In the expressions x and y go from 0 to 1 over the picture. grain: of
    scratches and strands, '' for none."""
    text = f"#define EP_COATED 1.0\n#define EP_GRAINED {int(bool(grain))}\n" + LIGHT.replace(
        "uniform vec2 ep_sky;", f"const vec2 ep_sky = vec2({sky[0]!r}, {sky[1]!r});"
    )
    shining = ", ".join(
        f"vec4({x}, {y}, {z}, {strength * lamps})" for (x, y, z), strength in zip(LAMPS, STRENGTHS, strict=True)
    )
    text = text.replace("uniform vec4 ep_lamps[3];", f"const vec4 ep_lamps[3] = vec4[3]({shining});")
    text += f"void main() {{ float x = gl_FragCoord.x / {size[0]}.0, y = gl_FragCoord.y / {size[1]}.0;"
    text += f"o = vec4(ep_lit({finish}, {grain + ', ' if grain else ''}{normal}, {to_eye}), 1.0); }}"
    return game.fill(text, size)[..., :3]


EYE = "vec3(sqrt(1.0 - y * y), 0.0, max(y, 0.02))"


@pytest.mark.parametrize("metallic", [0.0, 1.0])
@pytest.mark.parametrize("coat", [0.0, 1.0])
def test_white_in_a_white_furnace_is_white(game: Game, metallic: float, coat: float) -> None:
    """For every roughness (x) and every angle of the eye (y), within a hundredth."""
    finish = f"EpFinish(vec3(1.0), {metallic!r}, x, 1.0, {coat!r}, 0.1)"
    found = shone(game, finish, "vec3(0.0, 0.0, 1.0)", EYE, sky=(1.0, 1.0), lamps=0.0, size=(32, 32))
    assert np.abs(found - 1).max() < 0.01


def test_what_is_not_white_takes_light_away_and_never_adds_any(game: Game) -> None:
    gray = shone(
        game,
        "EpFinish(vec3(0.5), 0.0, x, 1.0, 0.0, 0.1)",
        "vec3(0.0, 0.0, 1.0)",
        EYE,
        sky=(1.0, 1.0),
        lamps=0.0,
        size=(32, 32),
    )
    assert gray.max() < 1
    assert gray.min() > 0.5
    closed = shone(
        game,
        "EpFinish(vec3(0.5), 0.0, x, 0.0, 0.5, 0.1)",
        "vec3(0.0, 0.0, 1.0)",
        EYE,
        sky=(1.0, 1.0),
        lamps=0.0,
        size=(8, 8),
    )
    assert closed.max() == 0


def by_formula(
    base: np.ndarray,
    metallic: float,
    roughness: float,
    coat: float,
    coat_roughness: float,
    n: np.ndarray,
    v: np.ndarray,
) -> np.ndarray:
    """glTF 2.0, appendix B.3, with the height-correlated masking of Heitz 2014, and KHR_materials_clearcoat, whose coat
    lies over all by its Fresnel term of N and V; times pi, since lamps are as bright as white paper."""

    def specular(alpha: float, nl: float, nv: float, nh: float) -> float:
        a2 = alpha**2
        d = a2 / (np.pi * (nh**2 * (a2 - 1) + 1) ** 2)
        joint = 0.5 / (nl * np.sqrt(nv**2 * (1 - a2) + a2) + nv * np.sqrt(nl**2 * (1 - a2) + a2))
        return d * joint

    total = np.zeros(3)
    for lamp, strength in zip(LAMPS, STRENGTHS, strict=True):
        nl = float(n @ lamp)
        if nl <= 0:
            continue
        h = (lamp + v) / np.linalg.norm(lamp + v)
        nv, nh, vh = float(n @ v), float(n @ h), float(v @ h)
        f0 = 0.04 * (1 - metallic) + base * metallic
        fresnel = f0 + (1 - f0) * (1 - vh) ** 5
        diffuse = (1 - fresnel) * base * (1 - metallic) / np.pi
        under = diffuse + fresnel * specular(roughness**2, nl, nv, nh)
        over = coat * (0.04 + 0.96 * (1 - nv) ** 5)
        total += strength * np.pi * nl * (under * (1 - over) + over * specular(coat_roughness**2, nl, nv, nh))
    return total


@pytest.mark.parametrize("eye", [(0.0, 0.0, 1.0), (0.6, 0.2, 0.77), (-0.3, 0.7, 0.65)])
@pytest.mark.parametrize(("metallic", "roughness", "coat"), [(0.0, 0.5, 0.0), (1.0, 0.3, 0.0), (0.4, 0.8, 0.7)])
def test_lamps_are_met_by_the_formulas(
    game: Game, metallic: float, roughness: float, coat: float, eye: tuple[float, ...]
) -> None:
    base, v = np.array([0.8, 0.4, 0.1]), np.array(eye) / np.linalg.norm(eye)
    finish = f"EpFinish(vec3(0.8, 0.4, 0.1), {metallic!r}, {roughness!r}, 1.0, {coat!r}, 0.2)"
    for n in (np.array([0.0, 0.0, 1.0]), np.array([0.0, 0.6, 0.8])):
        words = "vec3({}, {}, {})"
        found = shone(game, finish, words.format(*n), words.format(*v), sky=(0.0, 0.0), lamps=1.0, size=(1, 1))[0, 0]
        assert found == pytest.approx(by_formula(base, metallic, roughness, coat, 0.2, n, v), rel=2e-3)


@pytest.mark.parametrize("name", list(SET_UPS))
def test_lamps_are_unit_vectors_that_turn_about_the_vertical(name: str) -> None:
    still, turned, round_ = (np.array(Light(name, turn=angle).lamps) for angle in (0, 90, 360))
    assert np.abs(np.linalg.norm(still[:, :3], axis=1) - 1).max() < 2e-3
    assert np.allclose(turned[:, [0, 1, 2]], still[:, [2, 1, 0]] * (1, 1, -1), atol=1e-6)
    assert np.allclose(round_, still, atol=1e-6)


def test_exposure_is_in_stops_and_the_filmic_curve_keeps_what_is_not_bright(game: Game) -> None:
    """Khronos PBR neutral tone mapper: below 0.76 only the offset of 0.04 is taken, white light never reaches 1."""
    head = "#define EP_COATED 0.0\n" + LIGHT.replace("uniform float ep_exposure;", "const float ep_exposure = 2.0;")

    def curve(filmic: int) -> np.ndarray:
        text = head.replace("uniform int ep_filmic;", f"const int ep_filmic = {filmic};")
        text += "void main() { float x = gl_FragCoord.x / 256.0; o = vec4(ep_exposed(vec3(x * 4.0)), 1.0); }"
        return game.fill(text, (256, 1))[0, :, 0]

    places = (np.arange(256) + 0.5) / 256 * 4
    assert np.allclose(curve(0), 2 * places, rtol=1e-5)
    bent = curve(1)
    flat = (2 * places > 0.1) & (2 * places < 0.78)
    assert np.allclose(bent[flat], 2 * places[flat] - 0.04, atol=1e-5)
    assert (np.diff(bent) > 0).all()
    assert bent.max() < 1
    assert bent[-1] > 0.98


def grain(
    along: np.ndarray, n: np.ndarray, anisotropy: float, strands: float, shape: tuple[float, ...] = (0.5, 0.2, 0.5, 0.4)
) -> str:
    words = "vec3({}, {}, {})"
    vector = "vec4({}, {}, {}, {})".format(*shape)
    return f"EpGrain({words.format(*along)}, {words.format(*np.cross(n, along))}, {anisotropy!r}, {strands!r}, vec3(1.0), vec3(0.8, 0.5, 0.2), {vector})"


@pytest.mark.parametrize("anisotropy", [0.0, 0.5, 0.9])
def test_scratches_draw_highlights_out_by_the_published_lobe(game: Game, anisotropy: float) -> None:
    """E. Heitz, JCGT 3(2), 2014, and KHR_materials_anisotropy: D with two widths, height-correlated Smith masking."""
    n, t, v = np.array([0.0, 0.0, 1.0]), np.array([0.8, 0.6, 0.0]), np.array([0.3, -0.2, 0.933])
    v = v / np.linalg.norm(v)
    b, base, across = np.cross(n, t), np.array([0.9, 0.7, 0.4]), 0.3**2
    along = across + (1 - across) * anisotropy**2
    total = np.zeros(3)
    for lamp, strength in zip(LAMPS, STRENGTHS, strict=True):
        nl = n @ lamp
        if nl <= 0:
            continue
        h = (lamp + v) / np.linalg.norm(lamp + v)
        d = 1 / (np.pi * along * across * ((t @ h / along) ** 2 + (b @ h / across) ** 2 + (n @ h) ** 2) ** 2)
        shade = nl * np.sqrt((along * (t @ v)) ** 2 + (across * (b @ v)) ** 2 + (n @ v) ** 2)
        hide = (n @ v) * np.sqrt((along * (t @ lamp)) ** 2 + (across * (b @ lamp)) ** 2 + nl**2)
        total += strength * np.pi * nl * (base + (1 - base) * (1 - v @ h) ** 5) * d * 0.5 / (shade + hide)
    words = "vec3({}, {}, {})"
    finish = "EpFinish(vec3(0.9, 0.7, 0.4), 1.0, 0.3, 1.0, 0.0, 0.1)"
    how = {"sky": (0.0, 0.0), "lamps": 1.0, "size": (1, 1)}
    found = shone(game, finish, words.format(*n), words.format(*v), grain=grain(t, n, anisotropy, 0.0), **how)[0, 0]
    assert found == pytest.approx(total, rel=2e-3)
    if anisotropy == 0:
        assert found == pytest.approx(shone(game, finish, words.format(*n), words.format(*v), **how)[0, 0], rel=1e-4)


def test_strands_shine_where_the_light_is_mirrored_about_them(game: Game) -> None:
    """Kajiya and Kay 1989, Scheuermann 2004: sin(T, H) to a power, largest where H stands on the strand; a shift moves
    it by as much as T turns toward the normal. Worked out here for one strand and each lamp."""
    n, t = np.array([0.0, 0.0, 1.0]), np.array([0.0, 1.0, 0.0])
    shape, base = (0.7, 0.3, 0.4, 0.5), np.array([0.2, 0.1, 0.05])
    tints = np.array([[1.0, 1.0, 1.0], [0.8, 0.5, 0.2]])
    for eye in ((0.0, 0.0, 1.0), (0.1, 0.5, 0.86)):
        v = np.array(eye) / np.linalg.norm(eye)
        total = np.zeros(3)
        for lamp, strength in zip(LAMPS, STRENGTHS, strict=True):
            nl = n @ lamp
            if nl <= 0:
                continue
            h = (lamp + v) / np.linalg.norm(lamp + v)
            shines = np.zeros(3)
            for shift, width, tint in ((shape[0], shape[1], tints[0]), (shape[2], shape[3], tints[1])):
                moved = t + (shift - 0.5) * 2 * n
                th = moved / np.linalg.norm(moved) @ h
                fade = np.clip(th + 1, 0, 1)
                shines += fade**2 * (3 - 2 * fade) * (1 - th**2) ** (1 / width**2) * tint
            x = np.clip(nl / 0.3, 0, 1)
            total += strength * (base * (0.25 + 0.75 * nl) + 0.25 * shines * x**2 * (3 - 2 * x))
        words = "vec3({}, {}, {})"
        finish = "EpFinish(vec3(0.2, 0.1, 0.05), 0.0, 0.5, 1.0, 0.0, 0.1)"
        found = shone(
            game,
            finish,
            words.format(*n),
            words.format(*v),
            sky=(0.0, 0.0),
            lamps=1.0,
            size=(1, 1),
            grain=grain(t, n, 0.0, 1.0, shape),
        )
        assert found[0, 0] == pytest.approx(total, rel=3e-3)


def test_light_of_surroundings_is_the_integral_over_them() -> None:
    """Irradiance over pi at a normal, summed over the picture (Ramamoorthi and Hanrahan 2001 bound the error of nine
    harmonics for any picture; a few hundredths here), and a furnace: what is everywhere alike is mirrored as it is."""
    for key in ("room", "yard"):
        made = environment(key)
        picture, (d, area) = made.bands[:ROWS], directions(ROWS, COLUMNS)
        assert float(area.sum()) == pytest.approx(4 * np.pi, rel=1e-3)
        h = made.harmonics
        for n in np.eye(3).repeat(2, 0) * np.array([1, -1] * 3)[:, None]:
            x, y, z = n
            by_harmonics = (
                h[0]
                + h[1] * y
                + h[2] * z
                + h[3] * x
                + h[4] * x * y
                + h[5] * y * z
                + h[6] * (3 * z * z - 1)
                + h[7] * x * z
                + h[8] * (x * x - y * y)
            )
            summed = float((picture * area * np.clip(d @ n, 0, 1)).sum() / np.pi)
            assert by_harmonics == pytest.approx(summed, abs=0.06 * float(picture.mean() + 1))
        # Rougher is calmer, and no band adds light.
        contrast = [float(made.bands[k * ROWS : (k + 1) * ROWS].std()) for k in range(BANDS)]
        assert contrast == sorted(contrast, reverse=True)
        assert made.bands.max() <= picture.max() * 1.001
    even = blurred(np.full((ROWS, COLUMNS), 0.7, np.float32))
    assert np.allclose(even.bands, 0.7, atol=1e-4)
    assert np.allclose(even.harmonics, [0.7, *[0] * 8], atol=2e-3)
    assert harmonics_of(np.ones((ROWS, COLUMNS), np.float32), *directions(ROWS, COLUMNS))[0] == pytest.approx(
        1, abs=2e-3
    )


@pytest.mark.parametrize("anisotropy", [0.0, 0.7])
def test_the_model_on_the_cpu_is_the_text(game: Game, anisotropy: float) -> None:
    """For every angle of the eye (y) and many of the normal (x), metal or not, coated or not."""
    size = (32, 32)
    x, y = (np.arange(32) + 0.5) / 32, (np.arange(32) + 0.5) / 32
    x, y = np.broadcast_to(x, size), np.broadcast_to(y[:, None], size)
    to_eye = np.stack([np.sqrt(1 - y * y), 0 * y, y], -1)
    n = np.stack([0.6 * x - 0.3, 0.4 - 0.5 * x, 1 + 0 * x], -1)
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    along = np.cross(n, (0.0, 0.0, 1.0)) + np.cross(n, (0.3, 1.0, 0.0))
    along /= np.linalg.norm(along, axis=-1, keepdims=True)
    normal = "normalize(vec3(0.6 * x - 0.3, 0.4 - 0.5 * x, 1.0))"
    way = f"normalize(cross({normal}, vec3(0.0, 0.0, 1.0)) + cross({normal}, vec3(0.3, 1.0, 0.0)))"
    ends = "0.0, vec3(1.0), vec3(1.0), vec4(0.5)"
    scratched = f"EpGrain({way}, cross({normal}, {way}), {anisotropy!r}, {ends})" if anisotropy else ""
    for metallic, coat in ((0.0, 0.0), (1.0, 0.4), (0.5, 1.0)):
        finish = f"EpFinish(vec3(0.7, 0.3, 0.1), {metallic}, 0.35, 0.8, {coat}, 0.1)"
        eye = "vec3(sqrt(1.0 - y * y), 0.0, y)"
        drawn = shone(game, finish, normal, eye, sky=Light().sky, lamps=1.0, size=size, grain=scratched)
        surface = Finish(np.array([0.7, 0.3, 0.1]), metallic, 0.35, 0.8, coat, 0.1, anisotropy)
        made = lit(surface, n, along if anisotropy else None, to_eye, Light())
        assert np.abs(drawn - made).max() < 2e-3 * made.max()


def test_the_lit_ball_tells_finishes_apart() -> None:
    """A mirror's highlight is small and bright, a chalk's nowhere; scratches draw it out sideways; a metal colors
    it."""
    balls = {
        name: lit_sample(values, size=64).astype(float) for name, values in {
            "gloss": {"roughness": 0.08}, "chalk": {"roughness": 0.95}, "metal": {"roughness": 0.3, "metallic": 1.0},
            "brushed": {"roughness": 0.3, "metallic": 1.0, "anisotropy": 0.8},
        }.items()
    }  # fmt: skip
    assert all(ball[0, 0, 3] == 0 and ball[32, 32, 3] == 255 for ball in balls.values())
    light = {name: ball[..., :3].mean(-1) * (ball[..., 3] == 255) for name, ball in balls.items()}
    assert light["gloss"].max() > 225 > light["chalk"].max()
    assert (light["gloss"] > 200).mean() < 0.01

    def wide(name: str) -> tuple[int, int]:
        """Across and along the brightest texel: how far at least half of it is kept."""
        row, column = np.unravel_index(int(light[name].argmax()), light[name].shape)
        half = light[name][row, column] / 2
        return int((light[name][row] > half).sum()), int((light[name][:, column] > half).sum())

    assert wide("brushed")[0] > 2 * wide("brushed")[1]
    assert wide("brushed")[0] > 1.5 * wide("metal")[0]
    around = balls["metal"][(light["metal"] > 120) & (light["metal"] < 250)]
    assert around[:, 0].mean() > around[:, 2].mean() + 10
