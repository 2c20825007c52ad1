"""Making the tone and putting it at the start of the recipe."""

from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from evenpalette.core.color.encoding import F32
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State, new_id
from evenpalette.core.edits.asset import add_texture, replace_texture
from evenpalette.core.edits.parameters import free_parameter_name, set_first_row, update_parameter
from evenpalette.core.edits.recipe import add_row, add_step, bind_input, set_base, step_of, update_step
from evenpalette.core.errors import RegionError
from evenpalette.core.parallel import Progress, no_progress
from evenpalette.core.raster.raster import Encoding, Raster
from evenpalette.core.raster.reading import resize_plane
from evenpalette.core.recipe.parameters import Parameter
from evenpalette.core.recipe.recipe import TONE, Binding, Row, Step
from evenpalette.core.recipe.sources import Sources
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.regions.checks.gaps import used_mask
from evenpalette.core.tones.fit import calm_hidden, hidden_paint, plain_tone, report_fit, solve_gray, tone_raster
from evenpalette.core.tones.residue import residue_map
from evenpalette.core.tones.settings import ToneReport, ToneRow, ToneSettings
from evenpalette.core.tones.tints import TintFit, fit_tints
from evenpalette.core.tones.undo import undo_steps
from evenpalette.core.values import ChannelRef, ValueType

FIT, RESIDUE, LEVELS = "fit", "residue", "levels"
#: Texels from which tints are learnt.
_LOOKED_AT = 1 << 20
#: Texels on which steps are undone.
_UNDONE_AT = 1 << 16


def is_tint(step: Step) -> bool:
    """Whether a step multiplies the gray of the tone by a color."""
    return step.kind in KINDS and bool(KINDS[step.kind].tint)


def tint_of(state: State, region_id: str) -> tuple[Step, Row] | None:
    """The step and row that tint just this region through a parameter."""
    for step in state.project.recipe.steps:
        for row in step.rows if is_tint(step) else ():
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
        if is_tint(step) and step.named_regions() and inside.issuperset(step.named_regions())
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
    painted = state.textures[texture.id]
    # Levels are what the artist makes of the tone, and stay; what a residue adds back is learnt anew afterwards.
    aside = [step for step in state.project.recipe.steps if step.kind in (RESIDUE, LEVELS) and step.enabled]
    for step in aside:
        state = update_step(state, step.id, enabled=False)
    state = add_missing_tints(set_base(state, TONE))
    width, height = painted.size
    working = state.sources.at_size(width, height)
    seen = seen_texels(state, painted)
    progress(0.05)
    causes: tuple[str, ...] = ()
    second: dict[str, tuple[str, float]] = {}
    if method == FIT:
        fits, causes = _fitted(state, painted, working, seen)
        tints = [fit.tint for fit in fits]
        second = {region: (fit.second, fit.second_share) for region, fit in zip(state.region_ids, fits, strict=True)}
    else:
        gray, tints = plain_tone(painted.as_linear_rgb(), method, working.coverages)
    by_region = dict(zip(state.region_ids, tints, strict=True))
    for region_id, tint in by_region.items():
        if parameter := tint_parameter_of(state, region_id):
            state = update_parameter(state, parameter, default=tint)
    steps = state.bound_steps(None)
    progress(0.25)
    if method == FIT:
        gray = solve_gray(steps, working, painted, lambda done: progress(0.25 + done * 0.5))
        if (hidden := hidden_paint(steps, working)) is not None and working.coverages:
            calm_hidden(gray, hidden, working.coverages)
    settings = state.project.tone.model_copy(update={"method": method})
    state = replace(state.with_project(tone=settings), tone=tone_raster(gray))
    del gray
    for step in aside:
        state = update_step(state, step.id, enabled=True)
    if any(step.kind == RESIDUE for step in aside):
        return with_residue(state, progress=lambda done: progress(0.75 + done * 0.25), second=second, causes=causes)
    return _reported(state, second, causes, lambda done: progress(0.75 + done * 0.25))


def _reported(
    state: State, second: dict[str, tuple[str, float]], causes: tuple[str, ...], progress: Progress = no_progress
) -> State:
    """The state with a report of how well the default rebuilds the painted texture."""
    tone = state.project.tone
    assert tone.painted is not None
    assert state.tone is not None
    painted = state.textures[tone.painted]
    working = replace(state.sources.at_size(*painted.size), base=state.tone)
    coverages = dict(zip(state.region_ids, working.coverages, strict=True))
    parameters = {region: tint_parameter_of(state, region) for region in state.region_ids}
    values = state.values(None)
    tints = {region: str(values[parameter]) for region, parameter in parameters.items() if parameter}
    found, mean, p95 = report_fit(
        state.bound_steps(None), working, painted, coverages, tints, seen_texels(state, painted), progress
    )
    lines = tuple(
        ToneRow(
            region=r.region, mean=r.mean_difference, p95=r.p95_difference, gray=r.mean_gray,
            second=second.get(r.region, ("", 0.0))[0], second_share=second.get(r.region, ("", 0.0))[1],
        )
        for r in found
    )  # fmt: skip
    report = ToneReport(method=tone.method, mean=mean, p95=p95, rows=lines, causes=tuple(name[:80] for name in causes))
    compared = tuple(r for r in tone.compared if r.method != tone.method) + (report,)
    progress(1.0)
    return state.with_project(tone=tone.model_copy(update={"report": report, "compared": compared}))


def with_residue(
    state: State,
    *,
    progress: Progress = no_progress,
    second: dict[str, tuple[str, float]] | None = None,
    causes: tuple[str, ...] | None = None,
) -> State:
    """Learn what gray and tint cannot rebuild, as a texture, and lay it by a Residue step right behind the tints.

    A step and a texture that are there are made anew. Raises RegionError without a fitted tone.
    """
    tone = state.project.tone
    if state.tone is None or tone.painted not in state.textures or tone.painted is None:
        raise RegionError("Fit a tone first: the residue is what it leaves.")
    painted = state.textures[tone.painted]
    held = next((step.id for step in state.project.recipe.steps if step.kind == RESIDUE), None)
    state = _laid(state, _residue_of(state, held, painted, lambda done: progress(done * 0.2)), held)
    step_id = next(step.id for step in state.project.recipe.steps if step.kind == RESIDUE)
    # The gray was the best for colors that are not turned yet: solved through the turn, and the turn learnt once more.
    plain = _without_levels(state)
    assert state.tone is not None
    working = state.sources.at_size(*painted.size)
    gray = solve_gray(plain.bound_steps(None), working, painted, lambda done: progress(0.2 + done * 0.4))
    state = replace(state, tone=tone_raster(gray))
    state = _laid(state, _residue_of(state, step_id, painted, lambda done: progress(0.6 + done * 0.2)), step_id)
    if second is None:
        rows = tone.report.rows if tone.report is not None else ()
        second = {row.region: (row.second, row.second_share) for row in rows}
    causes = causes if causes is not None else tone.report.causes if tone.report is not None else ()
    return _reported(state, second, causes, lambda done: progress(0.8 + done * 0.2))


def _without_levels(state: State) -> State:
    """The state with its levels switched off: what the artist makes of the tone is no part of what is rebuilt."""
    for step in state.project.recipe.steps:
        if step.kind == LEVELS and step.enabled:
            state = update_step(state, step.id, enabled=False)
    return state


def _residue_of(state: State, held: str | None, painted: Raster, progress: Progress) -> Raster:
    """What the recipe leaves without its Residue step."""
    assert state.tone is not None
    plain = _without_levels(state)
    plain = update_step(plain, held, enabled=False) if held is not None else plain
    working = replace(plain.sources.at_size(*painted.size), base=state.tone)
    steps = plain.bound_steps(None)
    hidden = hidden_paint(steps, working)
    return residue_map(steps, working, painted, 1 - hidden if hidden is not None else None, progress)


def _laid(state: State, raster: Raster, held: str | None) -> State:
    """The residue as a texture that a Residue step reads; what is there is replaced."""
    step = state.project.recipe.step(held) if held is not None else None
    bound = step.binding(step.rows[0], "turn") if step is not None else None
    known = ChannelRef.parse(str(bound.value or "")) if bound is not None else None
    if known is not None and known.texture in state.textures:
        return replace_texture(state, known.texture, raster)
    texture = state.project.asset.texture(state.project.tone.painted)
    assert texture is not None
    state = add_texture(state, raster, f"{Path(texture.name).stem[:100]}-residue.png", Role.DATA)
    made = state.project.asset.textures[-1].id
    step_id = step.id if step is not None else new_id("step")
    if step is None:
        tinted = [n for n, other in enumerate(state.project.recipe.steps, 1) if is_tint(other)]
        state = add_step(state, RESIDUE, None, max(tinted, default=0), step_id)
    return set_first_row(state, step_id, {"turn": str(ChannelRef(made, 0)), "chroma": str(ChannelRef(made, 1))})


def seen_texels(state: State, painted: Raster) -> NDArray[np.bool_]:
    """Texels of the painted texture that some face shows and that are not transparent; all where there would be
    none."""
    faces = state.mesh.faces_under_texels if state.mesh is not None and state.mesh.mesh.uvs is not None else None
    used = used_mask(faces, (painted.height, painted.width))
    if painted.is_cut:
        used = used & (painted.channel(3) > 0)
    return used if used.any() else np.ones(used.shape, bool)


def _fitted(
    state: State, painted: Raster, working: Sources, seen: NDArray[np.bool_]
) -> tuple[list[TintFit], tuple[str, ...]]:
    """The tints, and the steps that cannot be undone. Of large textures a smaller picture is looked at."""
    size = _at_most(painted.size, _LOOKED_AT)
    # What the recipe starts from is put in its place anyway, and need not be resized.
    working = replace(working, base=Raster(np.zeros((1, 1, 1), np.uint8), Encoding.DATA))
    small = working.at_size(*size)
    picture, weights = _small_picture(painted, seen, size)
    steps = state.bound_steps(None)
    found = (tint_of(state, region) for region in state.region_ids)
    tints = frozenset(each[0].id for each in found if each is not None)
    # Undoing takes many evaluations: a smaller picture tells whether colors are bent at all.
    few = _at_most(painted.size, _UNDONE_AT)
    undone = undo_steps(steps, tints, working.at_size(*few), np.asarray(resize_plane(picture, few), np.float32))
    if undone.bent:
        size, small, picture = few, working.at_size(*few), undone.paint
        weights = resize_plane(weights, few)
    sure = resize_plane(undone.sure, size)
    weights = weights * (weights > 0.999)
    fits = fit_tints(
        picture, small.coverages, weights * sure, hidden_paint(steps, small), state.project.tone.white_percentile
    )
    return fits, undone.causes


def _at_most(size: tuple[int, int], texels: int) -> tuple[int, int]:
    """A size of the same shape with about so many texels, where there are more."""
    factor = min(1.0, (texels / (size[0] * size[1])) ** 0.5)
    return max(1, round(size[0] * factor)), max(1, round(size[1] * factor))


def _small_picture(painted: Raster, seen: NDArray[np.bool_], size: tuple[int, int]) -> tuple[F32, F32]:
    """Linear RGB, averaged over what is not transparent, and how much of each texel is seen and opaque; in strips."""
    height = painted.height
    part = max(1, height // size[1])
    rows = part * 64 if height == part * size[1] else height
    pictures, weights = [], []
    for top in range(0, height, rows):
        strip = Raster(painted.pixels[top : top + rows], painted.encoding)
        target = size[0], max(1, round(size[1] * strip.height / height))
        held = seen[top : top + rows].astype(np.float32)
        color = strip.as_linear_rgb()
        if painted.is_cut:
            # Transparent texels have colors too, and must not be averaged in.
            alpha = np.ascontiguousarray(strip.channel(3))
            held = held * alpha
            opaque = np.asarray(resize_plane(alpha, target))
            color = resize_plane(color * alpha[..., None], target) / np.maximum(opaque, 1e-4)[..., None]
        pictures.append(np.asarray(resize_plane(color, target), np.float32))
        weights.append(np.asarray(resize_plane(held, target), np.float32))
    return np.concatenate(pictures), np.concatenate(weights)


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
