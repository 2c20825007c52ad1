"""Making the tone and putting it at the start of the recipe."""

from dataclasses import replace

from evenpalette.core.errors import RegionError
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.project.edits.recipe import (
    add_row,
    add_step,
    bind_input,
    free_parameter_name,
    set_base,
    step_of,
    update_parameter,
)
from evenpalette.core.project.state import State, new_id
from evenpalette.core.recipe.evaluate import evaluate
from evenpalette.core.recipe.model import TONE, Binding, Row, Step
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.regions.checks import used_mask
from evenpalette.core.tones.fit import (
    fit_tints,
    hidden_paint,
    plain_tone,
    report_fit,
    solve_gray,
    tone_raster,
)
from evenpalette.core.tones.model import ToneReport, ToneRow, ToneSettings
from evenpalette.core.values import ValueType

FIT = "fit"


def tint_of(state: State, region_id: str) -> tuple[Step, Row] | None:
    """The step and row that tint just this region through a parameter."""
    for step in state.project.recipe.steps:
        for row in step.rows if step.kind == "tint" else ():
            color = step.binding(row, "color")
            if row.regions == (region_id,) and color is not None and color.parameter:
                return step, row
    return None


def tint_parameter_of(state: State, region_id: str) -> str | None:
    """The parameter that tints just this region."""
    found = tint_of(state, region_id)
    color = found[0].binding(found[1], "color") if found else None
    return color.parameter if color is not None else None


def add_missing_tints(state: State) -> State:
    """Give every region of the first division a row of its own, with a color parameter, in one Tint step.

    The rows are added to the first Tint step whose rows are of that division; without one, a step is put at the start.
    """
    division = state.project.regions.divisions[0]
    missing = [region for region in division.regions if tint_of(state, region.id) is None]
    if not missing:
        return state
    inside = {region.id for region in division.regions}
    fitting = [
        step for step in state.project.recipe.steps
        if step.kind == "tint" and step.named_regions() and inside.issuperset(step.named_regions())
        and all(row.regions is not None for row in step.rows)
    ]  # fmt: skip
    begun = fitting[0].id if fitting else new_id("step")
    for region in missing:
        name = free_parameter_name(state.project.recipe, f"{region.name} tint")
        parameter = Parameter(
            id=new_id("parameter"), name=name, type=ValueType.COLOR, default="#ffffff", group=region.name,
            description=f"Color of {region.name}",
        )  # fmt: skip
        recipe = state.project.recipe
        state = state.with_project(recipe=recipe.model_copy(update={"parameters": (*recipe.parameters, parameter)}))
        if state.project.recipe.step(begun) is None:
            state = add_step(state, "tint", (region.id,), at=0, step_id=begun)
            row_id = step_of(state.project.recipe, begun).rows[0].id
        else:
            row_id = new_id("row")
            state = add_row(state, begun, (region.id,), row_id)
        state = bind_input(state, begun, "color", Binding(parameter=parameter.id), row_id)
    return state


def make_tone(state: State, method: str = FIT, progress: Progress = no_progress) -> State:
    """Make the tone from the painted texture by 'fit' or a plain gray, set the tints that go with it, and report.

    The defaults of the regions' tint parameters are set; variants keep what they set themselves. The report compares
    the default variant with the painted texture. Raises RegionError without a painted texture or regions.
    """
    texture = state.project.asset.texture(state.project.tone.painted)
    if texture is None or texture.id not in state.textures:
        raise RegionError(
            "There is no painted texture to make a tone from. Bring one in at Asset and say what it holds."
        )
    if not state.project.regions.regions:
        raise RegionError("Make regions first: a tone is fitted region by region.")
    painted = state.textures[texture.id].as_linear_rgb()
    state = add_missing_tints(set_base(state, TONE))
    height, width = painted.shape[:2]
    working = state.sources.at_size(width, height) if state.sources.coverages else state.sources
    steps = state.bound_steps(None)
    coverages = dict(zip(state.region_ids, working.coverages, strict=True))
    progress(0.1)
    if method == FIT:
        hidden = hidden_paint(steps, working.at_size(width, height))
        tints = fit_tints(painted, working.coverages, hidden, state.project.tone.white_percentile)
    else:
        gray, tints = plain_tone(painted, method, working.coverages)
    by_region = dict(zip(state.region_ids, tints, strict=True))
    for region_id, tint in by_region.items():
        if parameter := tint_parameter_of(state, region_id):
            state = update_parameter(state, parameter, default=tint)
    steps = state.bound_steps(None)
    if method == FIT:
        gray = solve_gray(steps, working, painted, lambda done: progress(0.2 + done * 0.5))
    tone = tone_raster(gray)
    faces = state.mesh.faces_under_texels if state.mesh else None
    used = used_mask(faces, (height, width))
    rebuilt = evaluate(steps, replace(working, base=tone), float_output=True).pixels
    progress(0.8)
    rows, mean, p95 = report_fit(rebuilt, painted, coverages, by_region, gray, used)
    report = ToneReport(
        method=method, mean=mean, p95=p95,
        rows=tuple(ToneRow(region=r.region, mean=r.mean_difference, p95=r.p95_difference, gray=r.mean_gray) for r in rows),
    )  # fmt: skip
    compared = tuple(r for r in state.project.tone.compared if r.method != method) + (report,)
    settings = state.project.tone.model_copy(update={"method": method, "report": report, "compared": compared})
    progress(1.0)
    return replace(state.with_project(tone=settings), tone=tone)


def compare_methods(state: State, methods: tuple[str, ...], progress: Progress = no_progress) -> State:
    """Reports of several methods for the table; the tone in use stays."""
    reports = []
    for index, method in enumerate(methods):
        made = make_tone(state, method, lambda done, i=index: progress((i + done) / len(methods)))  # type: ignore[misc]
        assert made.project.tone.report is not None
        reports.append(made.project.tone.report)
    return state.with_project(tone=state.project.tone.model_copy(update={"compared": tuple(reports)}))


def set_painted(state: State, texture_id: str) -> State:
    """Choose the painted texture that tones are made from."""
    tone = state.project.tone.model_copy(update={"painted": texture_id, "report": None, "compared": ()})
    return state.with_project(tone=tone)


def set_white(state: State, percentile: float) -> State:
    """Choose which percentile of a region's brightness becomes the white of the next tone, 90 to 100."""
    settings = state.project.tone.model_dump() | {"white_percentile": percentile}
    return state.with_project(tone=ToneSettings.model_validate(settings))
