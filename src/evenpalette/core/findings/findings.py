"""Everything that is wrong with a document, by station. The window, `check` and delivery show the same list."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from evenpalette.core.consent import MayRead, nothing
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits.guess import contradiction
from evenpalette.core.edits.links import changes_of
from evenpalette.core.errors import EvenPaletteError
from evenpalette.core.finding import Finding
from evenpalette.core.findings.bleed_findings import find_bleeding
from evenpalette.core.findings.drift_findings import find_moved_means
from evenpalette.core.findings.ranking import joined, listed, without
from evenpalette.core.findings.size_findings import find_odd_sizes
from evenpalette.core.findings.surface_findings import find_on_surface
from evenpalette.core.mesh.tiles import WRAP, is_aside
from evenpalette.core.placement import Placement
from evenpalette.core.raster.raster import Encoding
from evenpalette.core.recipe.binding import map_read, read_binding
from evenpalette.core.recipe.kind import MapInput
from evenpalette.core.recipe.model import TONE, Binding
from evenpalette.core.recipe.shader import kit_shader
from evenpalette.core.recipe.steps import KINDS
from evenpalette.core.regions.checks.gaps import find_gaps_and_overlaps
from evenpalette.core.regions.model import Division, FacesSource
from evenpalette.core.regions.sources.face_runs import unassigned
from evenpalette.core.variants.perceptual_difference import alike
from evenpalette.core.variants.reach import reach_of, unseen

#: Textures that a fragment shader can read on any device (OpenGL ES 3.0, MAX_TEXTURE_IMAGE_UNITS).
MOST_SAMPLERS = 16
#: Texels a side on which it is looked whether a parameter changes anything.
_SEEN_SIDE = 64
STATIONS = ("asset", "regions", "tones", "recipe", "variants", "delivery")


@dataclass(frozen=True, eq=False)
class RegionFindings:
    """The findings of the regions and the state they are of; they take longest and seldom change."""

    state: State
    findings: tuple[Finding, ...]

    def are_of(self, state: State) -> bool:
        """Whether they hold for this state too."""
        old = self.state
        return (
            old.project.regions == state.project.regions and old.coverages is state.coverages and old.mesh is state.mesh
        )


def find_in_regions(state: State) -> RegionFindings:
    """Findings of the station Regions."""
    names = {region.id: region.name for region in state.project.regions.regions}
    maps = {texture.id for texture in state.project.asset.with_role(Role.ID_MAP)}
    found = list(_unassigned_faces(state))
    for division in state.project.regions.divisions:
        held = (*find_gaps_and_overlaps(division, dict(state.coverages), state.used), *find_on_surface(state, division))
        # A color that was picked from paint is no flag, and need not be pure.
        found += joined([f for f in held if f.code != "impure-flag" or f.subject in maps], names)
    return RegionFindings(state, tuple(found))


def find_all(state: State, regions: RegionFindings | None = None, may_read: MayRead = nothing) -> list[Finding]:
    """Findings of every station, in the order of the path, but for those that the artist chose to leave. regions: those
    already found, where they hold. may_read: which of the files that the project names may be looked into."""
    return without(everything(state, regions, may_read), state.project.ignored)[0]


def everything(state: State, regions: RegionFindings | None = None, may_read: MayRead = nothing) -> list[Finding]:
    """`find_all` with what the artist chose to leave."""
    return [
        *_asset(state),
        *(regions or find_in_regions(state)).findings,
        *find_bleeding(state),
        *_tones(state),
        *_recipe(state, may_read),
        *_variants(state),
        *_delivery(state),
    ]


def _asset(state: State) -> list[Finding]:
    found = []
    for texture in state.project.asset.textures:
        if texture.role.encoding is Encoding.DATA and texture.encoding is not Encoding.DATA:
            text = f"{texture.name} holds {texture.role.value} but is read as color"
            found.append(Finding("data-as-color", "asset", text, subject=texture.id))
        raster = state.textures.get(texture.id)
        if raster is not None and contradiction(texture.role, raster) is not None:
            text = f"{texture.name} holds unit vectors, so it is a normal map; it is taken for {texture.role.value}"
            found.append(Finding("looks-like-normal", "asset", text, subject=texture.id))
        if texture.role.encoding is Encoding.SRGB and texture.encoding is Encoding.DATA:
            found.append(
                Finding("color-as-data", "asset", f"{texture.name} holds color but is read as data", subject=texture.id)
            )
    groups = state.project.sheet.groups
    if state.mesh is not None and groups is not None and not set(groups) & set(state.mesh.whole.mesh.group_names):
        text = f"{state.mesh.mesh.name} has none of the parts of the sheet {state.project.sheet.name}; Parts ... at Asset says which lie on it"
        found.append(Finding("bare-sheet", "asset", text, subject=state.project.sheet.id))
    elif state.mesh is not None and state.mesh.mesh.uvs is not None:
        uvs = state.mesh.mesh.uvs
        outside = ((uvs < -1e-4) | (uvs > 1 + 1e-4)).any((1, 2)) & (np.abs(state.mesh.mesh.uv_areas()) > 1e-12)
        if outside.any() and state.mesh.mesh.tile in ("", WRAP):
            what = "have UVs outside the tile" if not state.mesh.mesh.tile else "cross the border of the tile"
            u, v = uvs[int(outside.argmax())].mean(0) % 1.0
            text = f"{int(outside.sum()):,} faces {what}"
            found.append(Finding("uv-outside", "asset", text, place=(float(u), float(v))))
        empty = (np.abs(state.mesh.mesh.uv_areas()) < 1e-12) & ~is_aside(state.mesh.mesh)
        if empty.any():
            u, v = uvs[int(empty.argmax())].mean(0) % 1.0
            text = f"{int(empty.sum()):,} faces have no area in the UV layout"
            found.append(Finding("uv-empty", "asset", text, place=(float(u), float(v))))
    return found


def _unassigned_faces(state: State) -> list[Finding]:
    """Only where a division is of faces alone: with an image among its sources the gap says it better."""
    found = []
    for division in state.project.regions.divisions:
        regions = division.regions
        if state.mesh is None or not regions or not all(isinstance(r.source, FacesSource) for r in regions):
            continue
        mesh = state.mesh.mesh
        if mesh.uvs is None:
            continue
        free = np.flatnonzero(unassigned(regions, mesh.face_count) & ~is_aside(mesh))
        if len(free):
            u, v = mesh.uvs[free[len(free) // 2]].mean(0)
            text = f"{len(free):,} faces are in no region" + _of(state, division)
            place = (float(u), float(v))
            found.append(Finding("unassigned-faces", "regions", text, place=place, subject=division.id))
    return found


def _of(state: State, division: Division) -> str:
    return f" of {division.name}" if len(state.project.regions.divisions) > 1 else ""


def _tones(state: State) -> list[Finding]:
    report = state.project.tone.report
    if report is None:
        return []
    names = {region.id: region.name for region in state.project.regions.regions}
    poor = sorted((row for row in report.rows if row.region in names and row.mean > 3.0), key=lambda row: -row.mean)
    if not poor:
        return []
    what, most = ("it", "") if len(poor) == 1 else ("them", "up to ")
    text = f"{listed([names[row.region] for row in poor])}: one tint does not rebuild {what} (mean CIEDE2000 {most}{poor[0].mean:.1f})"
    return [Finding("poor-fit", "tones", text, poor[0].region)]


def _recipe(state: State, may_read: MayRead) -> list[Finding]:
    recipe = state.project.recipe
    found = []
    if recipe.steps and recipe.base == TONE and state.tone is None:
        found.append(Finding("no-tone", "recipe", "The recipe starts from the tone, but there is none yet"))
    for step in recipe.steps:
        if step.kind not in KINDS:
            found.append(Finding("unknown-step", "recipe", f"{step.name}: this version has no such kind of step"))
            continue
        for map_ in KINDS[step.kind].maps if step.rows else ():
            missing = [row for row in step.rows if not _is_read(state, map_, step.binding(row, map_.key))]
            if missing and map_.needed:
                where = "" if len(missing) == len(step.rows) else f" in {len(missing)} of its rows"
                text = f"{step.name} reads no texture for {map_.label.lower()}{where}, so it changes nothing"
                found.append(Finding("no-texture", "recipe", text + (" there" if where else "")))
        if not step.rows or any(row.regions == () for row in step.rows):
            text = f"{step.name} has a row for no region, so it changes nothing"
            found.append(Finding("no-region", "recipe", text, subject=step.id))
    for change in changes_of(state, may_read):
        if change.problem:
            found.append(
                Finding(
                    "link-lost", "recipe", f"{change.name} follows a file: {change.problem}", subject=change.step_id
                )
            )
        else:
            text = f"{change.name}: {Path(change.path).name} has changed. {'; '.join(change.what[:3])}"
            found.append(Finding("link-changed", "recipe", text, subject=change.step_id))
    found += find_moved_means(state)
    variants = (None, *(v.id for v in state.project.variants))
    unseen_here = unseen(state, variants, _SEEN_SIDE) if state.coverages else []
    for parameter in recipe.parameters:
        if not state.project.users(parameter.id):
            text = f"No step reads the parameter {parameter.name}; moving it changes nothing"
            found.append(Finding("unused-parameter", "recipe", text, subject=parameter.id))
        elif parameter.id in unseen_here:
            reason = reach_of(state, parameter.id, None, side=_SEEN_SIDE).reasons[0]
            text = f"{parameter.name} changes nothing in any variant. {reason.text}"
            found.append(
                Finding("unseen-parameter", "recipe", text, region=reason.region, subject=reason.step or parameter.id)
            )
    return found


def _is_read(state: State, map_: MapInput, binding: Binding | None) -> bool:
    """Whether a binding names a texture that is there."""
    value = read_binding(binding, map_.input, {p.id: p.default for p in state.project.parameters})
    read = map_read(map_, str(value or ""), Placement())
    return read is not None and read.texture in state.textures


def _variants(state: State) -> list[Finding]:
    """Pairs that nobody can tell apart; of several alike each is named beside the first of them."""
    names = {variant.id: variant.name for variant in state.project.variants}
    found, named = [], set()
    for pair in alike(state):
        if pair.second in named:
            continue
        named.add(pair.second)
        one, other = names[pair.second], names[pair.first]
        text = f"{one} and {other} look the same"
        if pair.apart.units >= 0.05:
            text = (
                f"{one} and {other} can hardly be told apart: they differ by CIEDE2000 {pair.apart.units:.1f} at most"
            )
        found.append(Finding("same-variant", "variants", text, pair.apart.region, subject=pair.second))
    return found


def _delivery(state: State) -> list[Finding]:
    """What a game could not load, or would show otherwise."""
    found = list(find_odd_sizes(state))
    try:
        samplers = kit_shader(state.project.recipe, state.shader_reads).sampler_count
    except EvenPaletteError:
        return found
    if samplers > MOST_SAMPLERS:
        text = (
            f"The kit reads {samplers} textures at once; {MOST_SAMPLERS} is what every device has. "
            "Use fewer regions, or put masks into the channels of one texture"
        )
        found.append(Finding("many-samplers", "delivery", text))
    return found


def station_state(state: State, station: str, findings: list[Finding]) -> str:
    """'untouched', 'in order', or the number of open findings as text."""
    count = sum(1 for finding in findings if finding.station == station)
    if count:
        return str(count)
    project = state.project
    touched = {
        "asset": project.asset.mesh is not None or bool(project.asset.textures),
        "regions": bool(project.regions.regions),
        "tones": state.tone is not None,
        "recipe": bool(project.recipe.steps),
        "variants": bool(project.variants),
        "delivery": bool(project.variants) and bool(project.recipe.steps) and not findings,
    }
    return "in order" if touched[station] else "untouched"
