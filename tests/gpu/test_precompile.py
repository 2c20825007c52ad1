"""What is compiled beforehand is exactly what is drawn with afterwards."""

from concurrent.futures import Future

import moderngl
import pytest

from evenpalette.core.errors import ShaderOnItsWay, ShaderRefused
from evenpalette.gpu.precompile import Precompilation, precompile, target_of
from evenpalette.gpu.programs import BoundTexture, DrawCall, ViewPrograms
from tests.helpers.glsl import apart

TEXT = "#version 330 core\nuniform sampler2D u_a;\nout vec4 o;\nvoid main() { o = texture(u_a, gl_FragCoord.xy / 8.0) * SCALE; }\n"


def _drawing(ctx: moderngl.Context) -> DrawCall:
    texture = ctx.texture((2, 2), 4, bytes([64] * 16))
    target = ctx.framebuffer(
        [ctx.texture((8, 8), 4), ctx.texture((8, 8), 4, dtype="f2")], ctx.depth_renderbuffer((8, 8))
    )
    return DrawCall({"u_a": BoundTexture(texture, ctx.sampler()), "u_gone": BoundTexture(texture)}, target, True)


def _leaves_no_trace() -> None:
    ctx = moderngl.create_standalone_context(backend="egl")
    drawing = _drawing(ctx)
    target = target_of(drawing.target)
    assert target is not None
    assert target.colors == (0x8058, 0x881A)
    assert target.depth == 0x81A6
    assert target_of(ctx.framebuffer([ctx.texture((4, 4), 1)])) == ((0x8229,), 0)
    programs = ViewPrograms(ctx)
    program, quad = programs.of(TEXT.replace("SCALE", "2.0"), drawing)
    pictures = tuple((name, picture.texture.glo, (0x2703, 0x2601)) for name, picture in drawing.pictures.items())
    for fragment in (TEXT.replace("SCALE", "0.5"), "what no driver takes"):
        precompile(
            Precompilation(
                "#version 330 core\nin vec2 c;\nvoid main() { gl_Position = vec4(c, 0, 1); }",
                fragment,
                "c",
                pictures,
                target,
                True,
            )
        )
    drawing.target.use()
    drawing.target.clear(0, 0, 0, 0, depth=1.0)
    ctx.viewport = (0, 0, 8, 8)
    ctx.disable(moderngl.DEPTH_TEST)
    drawing.pictures["u_a"].texture.use(0)
    program["u_a"].value = 0
    quad.render(moderngl.TRIANGLE_STRIP)
    assert set(drawing.target.read(components=4)) == {128}
    assert ctx.error == "GL_NO_ERROR"


def _is_asked_for_again() -> None:
    ctx = moderngl.create_standalone_context(backend="egl")
    sent: list[Future[None]] = []

    def elsewhere(work: object) -> Future[None]:
        sent.append(Future())
        return sent[-1]

    programs = ViewPrograms(ctx, elsewhere)  # type: ignore[arg-type]
    drawing = _drawing(ctx)
    first, second, third = (TEXT.replace("SCALE", scale) for scale in ("1.0", "2.0", "3.0"))
    programs.of(first, drawing)  # nobody has patience yet
    assert not sent
    programs.patient = True
    programs.of(first, drawing)
    for text in (second, second, third):
        with pytest.raises(ShaderOnItsWay):
            programs.of(text, drawing)
    assert len(sent) == len(programs.coming) == 2
    programs.drop_unwanted()
    with pytest.raises(ShaderOnItsWay):
        programs.of(third, drawing)
    programs.drop_unwanted()
    assert sent[0].cancelled()
    assert programs.coming == [sent[1]]
    sent[1].set_exception(RuntimeError("this driver has no second context"))
    assert programs.of(third, drawing)[0].glo
    programs.patient = False
    assert programs.of(second, drawing)[0].glo
    with pytest.raises(ShaderRefused, match="in line 2, 'nonsense'"):
        programs.of("#version 330 core\nnonsense\n", drawing)


def test_a_target_is_known_by_its_formats_and_a_rehearsal_leaves_no_trace() -> None:
    """Formats as the OpenGL registry numbers them: RGBA8, RGBA16F, DEPTH_COMPONENT24."""
    apart(_leaves_no_trace)


def test_what_is_on_its_way_is_asked_for_again_and_what_nobody_asks_for_is_left() -> None:
    apart(_is_asked_for_again)
