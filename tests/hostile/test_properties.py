"""Readers, the project model and the command line under arbitrary input: sound, or refused in our own words."""

import contextlib
import io
import json
from pathlib import Path

import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from evenpalette.cli import VERBS, main
from evenpalette.core.errors import EvenPaletteError, ProjectError
from evenpalette.core.files import plain_text, safe_name
from evenpalette.core.recipe.parameters import Parameter, parameter_uniform_names
from evenpalette.core.storage.description import parse_project
from evenpalette.core.values import ValueType
from tests.hostile.files import Cases
from tests.hostile.read import READERS

CALM = settings(
    max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture], derandomize=True
)


@pytest.fixture(scope="module")
def cases(tmp_path_factory: pytest.TempPathFactory) -> Cases:
    return Cases(tmp_path_factory.mktemp("cases"), READERS)


def test_six_hundred_spoiled_files_are_read_or_refused(cases: Cases) -> None:
    outcomes = {"read": 0, "refused": 0}
    for number in range(1, 601):
        try:
            cases.run(number)
            outcomes["read"] += 1
        except EvenPaletteError as error:
            outcomes["refused"] += "\n" not in str(error)
    assert sum(outcomes.values()) == 600
    assert min(outcomes.values()) > 60


_JSON = st.recursive(
    st.none() | st.booleans() | st.floats() | st.integers() | st.text(max_size=12),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
    max_leaves=12,
)


@CALM
@given(part=st.sampled_from(("mesh", "sheets", "parameters", "variants", "rasters", "delivery")), value=_JSON)
def test_no_part_of_a_project_is_taken_unchecked(cases: Cases, part: str, value: object) -> None:
    raw = {**cases.project, part: value}
    # What is accepted can be written again and read as the same.
    with contextlib.suppress(ProjectError):
        project = parse_project(json.dumps(raw).encode("utf-8", "surrogatepass"), "p")
        assert parse_project(project.model_dump_json().encode(), "p") == project


@CALM
@given(text=st.text(max_size=60))
def test_a_name_never_becomes_code_or_a_path(text: str) -> None:
    plain = plain_text(text)
    assert plain.isascii()
    assert plain.isprintable() or plain == ""
    assert "\\" not in plain
    assert "*/" not in plain
    assert set(safe_name(text)) <= set("abcdefghijklmnopqrstuvwxyz0123456789-")
    if text.strip():
        parameter = Parameter(id="p", name=text.strip()[:80], type=ValueType.NUMBER, default=0.0)
        name = parameter_uniform_names([parameter])["p"]
        assert name.isidentifier()
        assert "__" not in name


@CALM
@given(
    verb=st.sampled_from([verb for verb in VERBS if verb != "demo"]),
    words=st.lists(
        st.sampled_from(["--size", "--out", "--near", "--far", "--padding", "--jobs", "--json", "--by", "--as", "rgb", "{out}"])
        | st.text(alphabet=st.characters(blacklist_characters="\0"), max_size=8)
        | st.integers().map(str) | st.floats().map(str),
        max_size=6,
    ),
)  # fmt: skip
@example(verb="check", words=["nowhere", "{out}"])
def test_any_words_on_the_command_line_end_with_one_line_at_most(verb: str, words: list[str], tmp_path: Path) -> None:
    out, err = io.StringIO(), io.StringIO()
    filled = [str(tmp_path / "out.png") if word == "{out}" else word for word in words]
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            code = main([verb, *filled])
        except SystemExit as ended:
            code = int(ended.code or 0)
    if code == 1:  # a report of several places, each with what is wrong
        assert verb == "check"
        assert out.getvalue().count("error: ") >= 2
    elif code:
        assert code == 2
        assert err.getvalue().count("\n") == 1
        assert err.getvalue().startswith("evenpalette: ")


@pytest.mark.parametrize("words", [["check", ""], ["deliver", "{out}", "--out", ""], ["export", "", "--out", "{out}"]])
def test_a_path_that_is_empty_is_not_the_folder_one_stands_in(
    words: list[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    with pytest.raises(SystemExit) as ended:
        main([word.replace("{out}", str(tmp_path)) for word in words])
    assert ended.value.code == 2
    assert "a path is empty" in capsys.readouterr().err
    assert list(tmp_path.iterdir()) == []
