"""MaterialX: documents are valid by its own library, and what its GLSL generator makes of them draws what is delivered.

PyPI: MaterialX 1.39 (validation, generator); Debian: glslang-tools (compiler); OpenGL.
"""

import shutil
import subprocess
from pathlib import Path

import moderngl
import numpy as np
import pytest
from tests.helpers.glsl import apart
from tests.helpers.projects import on_two_sheets, with_choices

from evenpalette.core.delivery.deliver import deliver
from evenpalette.core.document.state import State
from evenpalette.core.raster.image_read import read_image
from evenpalette.core.storage.demo_files import copy_demo, demo_names
from evenpalette.core.storage.storage import Storage

mx = pytest.importorskip("MaterialX", reason="MaterialX (PyPI) is not installed")
MAPS = ("base_color", "roughness", "normal")


def opened(out: Path, name: str) -> object:
    """The document with the standard library; it is valid."""
    document, library = mx.createDocument(), mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), library)
    mx.readFromXmlFile(document, str(out / f"{name}.mtlx"))
    document.setDataLibrary(library)
    assert document.validate() == (True, "")
    return document


def generated(document: object, out: Path, of: str, output: str, kind: str) -> tuple[str, str]:
    """Vertex and pixel text that the library's generator for hardware makes of an output of the recipe's node."""
    import MaterialX.PyMaterialXGenGlsl
    import MaterialX.PyMaterialXGenShader

    document.addNode(of, "recipe", "multioutput")
    end = document.addOutput("shown", kind)
    end.setNodeName("recipe")
    end.setOutputString(output)
    generator = MaterialX.PyMaterialXGenGlsl.GlslShaderGenerator.create()
    context = MaterialX.PyMaterialXGenShader.GenContext(generator)
    context.registerSourceCodeSearchPath(mx.getDefaultDataSearchPath())
    context.registerSourceCodeSearchPath(mx.FileSearchPath(str(out)))
    shader = generator.generate("shown", end, context)
    return shader.getSourceCode("vertex"), shader.getSourceCode("pixel")


def compiled_by_a_stranger(text: str, stage: str, folder: Path) -> None:
    if shutil.which("glslangValidator") is None:
        pytest.skip("glslang-tools (Debian) is not installed")
    file = folder / f"shown.{stage}"
    file.write_text(text)
    done = subprocess.run(["glslangValidator", str(file)], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout


def drawn(
    ctx: moderngl.Context, texts: tuple[str, str], given: dict[str, tuple[str, str]], out: Path, size: tuple[int, int]
) -> np.ndarray:
    """Float values, first row first. given: of each input its type and value. Pictures are loaded as MaterialX has
    them: the last row at v = 0."""
    program = ctx.program(*texts)
    held = []
    for name, (kind, value) in given.items():
        if f"recipe_{name}" not in program:
            continue
        if kind == "filename":
            pixels = np.ascontiguousarray(read_image(out / value).pixels[::-1])
            form = {"uint8": "f1", "uint16": "nu2", "float32": "f4"}[pixels.dtype.name]
            texture = ctx.texture(
                (pixels.shape[1], pixels.shape[0]), pixels.shape[2], pixels.tobytes(), alignment=1, dtype=form
            )
            texture.filter = moderngl.LINEAR, moderngl.LINEAR
            texture.use(len(held))
            program[f"recipe_{name}"] = len(held)
            held.append(texture)
            continue
        numbers = [float(part) for part in value.split(",")]
        program[f"recipe_{name}"] = (
            int(numbers[0]) if kind == "integer" else numbers[0] if kind == "float" else tuple(numbers)
        )
    corners = np.array([[-1, -1, 0, 0, 0], [3, -1, 0, 2, 0], [-1, 3, 0, 0, 2]], "f4")
    # What is the same everywhere reads no coordinates.
    read = ("3f 2f", "i_position", "i_texcoord_0") if "i_texcoord_0" in program else ("3f 2x4", "i_position")
    array = ctx.vertex_array(program, [(ctx.buffer(corners.tobytes()), *read)])
    target = ctx.framebuffer([ctx.texture(size, 4, dtype="f4")])
    target.use()
    array.render(moderngl.TRIANGLES)
    pixels = np.frombuffer(target.read(components=4, dtype="f4"), np.float32).reshape(size[1], size[0], 4)[::-1]
    for texture in held:
        texture.release()
    return pixels


def inputs(element: object) -> dict[str, tuple[str, str]]:
    return {i.getName(): (i.getType(), i.getValueString()) for i in element.getInputs() if i.getValueString()}


def agrees(out: Path, name: str, stem: str, folders: list[str], place: str) -> None:
    ctx = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]
    for attribute, kind in zip(MAPS, ("color3", "float", "vector3"), strict=True):
        document = opened(out, name)
        if document.getNodeDef(f"ND_{stem}_recipe").getOutput(attribute) is None:
            continue
        defaults = inputs(document.getNodeDef(f"ND_{stem}_recipe"))
        variants = document.getVariantSet(f"{stem}_variants").getVariants()
        assert len(variants) == len(folders)
        assert len(document.getLooks()) == len(folders)
        texts = generated(document, out, f"{stem}_recipe", attribute, kind)
        for stage, text in zip(("vert", "frag"), texts, strict=True):
            compiled_by_a_stranger(text, stage, out)
        for variant, folder in zip(variants, folders, strict=True):
            told = read_image(out / "variants" / folder / place / f"{attribute}.png").pixels
            size = told.shape[1], told.shape[0]
            made = drawn(ctx, texts, defaults | inputs(variant), out, size)
            if attribute == "base_color":
                c = np.clip(made[..., :3], 0, 1)
                made = np.where(c <= 0.0031308, 12.92 * c, 1.055 * c ** (1 / 2.4) - 0.055)
            count = 1 if attribute == "roughness" else 3
            gap = np.abs(np.rint(np.clip(made[..., :count], 0, 1) * 255) - told[..., :count])
            assert (gap <= 1).mean() >= 0.999, (attribute, folder, np.bincount(gap.astype(int).ravel())[:6])
            assert gap.max() <= 2
    ctx.release()


@pytest.mark.parametrize("name", sorted(demo_names()))
def test_every_demo_is_drawn_as_delivered(name: str, tmp_path: Path) -> None:
    state = Storage(copy_demo(tmp_path / "demo", name)).open()
    chosen = state.project.variants[:2]
    out = tmp_path / "out"
    deliver(state, out, targets=["images", "materialx"], maps=MAPS, variants=[v.id for v in chosen])
    folders = sorted(path.name for path in (out / "variants").iterdir())
    words = {v.name.lower().replace(", ", "-").replace(" ", "-"): k for k, v in enumerate(chosen)}
    apart(lambda: agrees(out, name, f"{name.replace('-', '_')}_sheet", sorted(folders, key=words.get), ""))


def test_a_recipe_is_standard_nodes_where_they_can_say_it(lantern: State, tmp_path: Path) -> None:
    """All steps of the lantern: every node has a definition of the library, and generators for other renderers, which
    know nothing of GLSL, take it. What picks by copy has no standard node: the document says so and has our text."""
    report = deliver(lantern, tmp_path / "lantern", targets=["materialx"], kit_longest=16)
    assert not any("no standard node" in note for note in report.notes)
    assert not list((tmp_path / "lantern").rglob("*.glsl"))
    document = opened(tmp_path / "lantern", "moth-lantern")
    graph = document.getNodeGraph("NG_moth_lantern_sheet_recipe")
    assert document.getImplementation("IM_moth_lantern_sheet_recipe_genglsl") is None
    assert 100 < len(graph.getNodes()) < 1000
    for node in graph.getNodes():
        definition = node.getNodeDef()
        assert definition is not None, node.getCategory()
        assert "stdlib" in definition.getSourceUri(), node.getCategory()
    import MaterialX.PyMaterialXGenMdl
    import MaterialX.PyMaterialXGenOsl
    import MaterialX.PyMaterialXGenShader

    for generator in (
        MaterialX.PyMaterialXGenOsl.OslShaderGenerator.create(), MaterialX.PyMaterialXGenMdl.MdlShaderGenerator.create(),
    ):  # fmt: skip
        other = opened(tmp_path / "lantern", "moth-lantern")
        other.addNode("moth_lantern_sheet_recipe", "recipe", "multioutput")
        end = other.addOutput("shown", "color3")
        end.setNodeName("recipe")
        end.setOutputString("base_color")
        context = MaterialX.PyMaterialXGenShader.GenContext(generator)
        context.registerSourceCodeSearchPath(mx.getDefaultDataSearchPath())
        assert len(generator.generate("shown", end, context).getSourceCode("pixel")) > 10_000
    pennant = Storage(copy_demo(tmp_path / "demo", "pennant")).open()
    report = deliver(pennant, tmp_path / "pennant", targets=["materialx"], kit_longest=16)
    assert any("no standard node says" in note for note in report.notes)
    assert list((tmp_path / "pennant").rglob("*.glsl"))
    document = opened(tmp_path / "pennant", "pennant")
    assert document.getImplementation("IM_pennant_sheet_recipe_genglsl") is not None


def test_names_that_are_no_names_of_elements_make_a_valid_document(lantern: State, tmp_path: Path) -> None:
    names = {lantern.project.variants[0].id: "<b>&\x01 \U0001f3ee", lantern.project.variants[1].id: "12"}
    state = lantern.with_project(
        name='3 "lanterns" & 1',
        variants=tuple(v.model_copy(update={"name": names.get(v.id, v.name)}) for v in lantern.project.variants),
    )
    deliver(state, tmp_path, targets=["materialx"], kit_longest=16, variants=list(names))
    document = opened(tmp_path, "3-lanterns-1")
    assert len(document.getVariantSets()) == 1
    assert [v.getName() for v in document.getVariantSets()[0].getVariants()][1] == "n_12"


def test_two_sheets_a_choice_of_textures_and_a_vector(lantern: State, tmp_path: Path) -> None:
    state = on_two_sheets(with_choices(lantern)[0])
    chosen = state.project.variants[:2]
    deliver(state, tmp_path, targets=["images", "materialx"], maps=MAPS, variants=[v.id for v in chosen])
    apart(lambda: agrees(tmp_path, "moth-lantern", "moth_lantern_sheet", ["ember", "harbour-night"], "sheet"))
