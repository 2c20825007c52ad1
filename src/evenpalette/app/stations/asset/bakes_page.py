"""Asset, bakes: what was made of the mesh and of light, how it is wanted, and what became of it."""

from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QWidget,
)

from evenpalette.app import file_filters
from evenpalette.app.bakes import BakeKeeper
from evenpalette.app.facets import ASSET, COVERAGES, RECIPE, VALUES
from evenpalette.app.plain import entry, plain
from evenpalette.app.session import Session
from evenpalette.app.stations.asset.bake_settings import BakeSettings
from evenpalette.app.widgets.basics import button, captions, column, items_of, label, list_actions, row, tool
from evenpalette.app.widgets.before_after import BeforeAfter, image_of
from evenpalette.app.widgets.forms import slider
from evenpalette.app.widgets.ramp_bars import RampBars
from evenpalette.app.widgets.switch import Switch
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.baking.kinds import BAKES
from evenpalette.core.document.bake import GLOW, Bake
from evenpalette.core.document.project import Role, Texture
from evenpalette.core.edits import bakes as edit
from evenpalette.core.edits.asset import remove_texture
from evenpalette.core.raster.raster import Raster
from evenpalette.core.raster.texture_unit import rgba8
from evenpalette.core.recipe.binding import textures_of
from evenpalette.core.regions.chain import read_by

_THUMB = 28
_BINS = 64


def kind_words(bake: Bake) -> str:
    """What a bake holds, in words."""
    return (
        "Glow on its surroundings" if bake.kind == GLOW else BAKES[bake.kind].label if bake.kind in BAKES else bake.kind
    )


def age(made: str) -> str:
    """How long ago that was, in words."""
    try:
        minutes = (datetime.now(UTC) - datetime.fromisoformat(made)).total_seconds() / 60
    except ValueError:
        return ""
    if minutes < 2:
        return "just now"
    if minutes < 120:
        return f"{minutes:.0f} minutes ago"
    return f"{minutes / 60:.0f} hours ago" if minutes < 2880 else f"{minutes / 1440:.0f} days ago"


class BakesPage(QWidget):
    """From left to right: the bakes, how the chosen one is wanted, what it was and is, its ramp and what is known of
    it."""

    def __init__(self, session: Session, bakes: BakeKeeper) -> None:
        super().__init__()
        self._session, self._bakes = session, bakes
        self._former: dict[str, Raster] = {}
        self._middle = (0.5, 0.5)
        left, right = self._left(), self._ramp_column()
        self.settings = BakeSettings(session)
        self.picture = BeforeAfter("The bake before and now")
        self.picture.looked.connect(self._look)
        self.picture.resized.connect(self._draw)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(16)
        layout.addWidget(left)
        layout.addWidget(self.settings)
        layout.addWidget(self.picture, 1)
        layout.addWidget(right)
        bakes.progressed.connect(self._say)
        bakes.made.connect(self._keep_former)
        self._shown = WhenShown(self, self.refresh)
        session.changed.connect(
            lambda facets: self._shown.ask() if facets & {ASSET, RECIPE, VALUES, COVERAGES} else None
        )
        self.refresh()

    def _left(self) -> QWidget:
        """What was made, and what is said of the chosen one."""
        self.list = QListWidget()
        self.list.setAccessibleName("Bakes")
        self.list.setIconSize(QSize(_THUMB, _THUMB))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(lambda _: self._show())
        list_actions(self.list, [("Take it out", "Del", self._remove), ("Make it again", "F5", self._again)])
        self.new = button(
            "New ...", self._offer, "primary",
            "Occlusion, curvature, thickness ... of this mesh, or the glow of the recipe",
        )  # fmt: skip
        self.again = tool("rotate-ccw", "Make the bake again, also where nothing has changed", self._again)
        self.stop = tool("x", "Stop the bake that is being made; what was there stays", self._bakes.stop)
        self._none = label(
            "Nothing is baked yet. What the mesh knows\nabout itself is offered under New, and where\na step asks for a texture.",
            "note",
        )
        self._facts = label("", "note")
        self._facts.setWordWrap(True)
        self._facts.setAccessibleName("About the bake")
        made = column(
            row(label("Bakes", "heading"), None, self.stop, self.again, self.new, spacing=4), self._none, self.list,
            self._facts, spacing=4,
        )  # fmt: skip
        made.setFixedWidth(252)
        return made

    def _ramp_column(self) -> QWidget:
        """How what was baked becomes a gray."""
        self.bars = RampBars()
        seal = self._session.history.seal
        self.low = slider(0, 1, 0, taken=lambda v: self._set_ramp(low=v), ended=seal)
        self.high = slider(0, 1, 0, taken=lambda v: self._set_ramp(high=v), ended=seal)
        self.power = slider(0.1, 10, 0.1, taken=lambda v: self._set_ramp(power=v), ended=seal)
        self.strength = slider(0, 1, 0, taken=lambda v: self._set_ramp(strength=v), ended=seal)
        self.invert = Switch()
        self.invert.toggled.connect(lambda on: self._set_ramp(invert=on))
        self._ramp = QWidget()
        grid = QGridLayout(self._ramp)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(1)
        captions(grid, (
            ("Black at", self.low), ("White at", self.high), ("Curve", self.power), ("Strength", self.strength),
            ("Turned", self.invert),
        ))  # fmt: skip
        grid.setColumnStretch(1, 1)
        self._right = column(self.bars, self._ramp, None, spacing=4)
        self._right.setFixedWidth(238)
        return self._right

    def current(self) -> Texture | None:
        """The bake that is chosen."""
        item = self.list.currentItem()
        return (
            self._session.state.project.asset.texture(item.data(Qt.ItemDataRole.UserRole)) if item is not None else None
        )

    def choose(self, texture_id: str) -> None:
        """Have a bake as the chosen one."""
        for line in range(self.list.count()):
            item = self.list.item(line)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) == texture_id:
                self.list.setCurrentRow(line)

    def refresh(self) -> None:
        """Show the bakes as they are now."""
        state = self._session.state
        textures = edit.baked_textures(state)
        chosen = self.current()
        if [t.id for t in textures] != [item.data(Qt.ItemDataRole.UserRole) for item in items_of(self.list)]:
            self.list.blockSignals(True)
            self.list.clear()
            for texture in textures:
                item = QListWidgetItem()
                item.setData(Qt.ItemDataRole.UserRole, texture.id)
                self.list.addItem(item)
            self.list.setCurrentRow(
                next((i for i, t in enumerate(textures) if chosen is not None and t.id == chosen.id), len(textures) - 1)
            )
            self.list.blockSignals(False)
        for line, texture in enumerate(textures):
            shown = self.list.item(line)
            assert shown is not None
            assert texture.bake is not None
            shown.setText(f"{Path(texture.name).stem}\n{kind_words(texture.bake)}, {texture.bake.size}")
            shown.setToolTip(plain(f"{texture.name}: {kind_words(texture.bake)}"))
            shown.setIcon(_icon(state.textures[texture.id]))
        self.list.setVisible(bool(textures))
        self._none.setVisible(not textures)
        self._show()

    def _show(self) -> None:
        texture = self.current()
        for part in (self.settings, self.picture, self._right, self.again):
            part.setVisible(texture is not None)
        if texture is None or texture.bake is None:
            self.stop.hide()
            return
        self.settings.show_bake(texture)
        self.low.set_value(texture.bake.ramp.low)
        self.high.set_value(texture.bake.ramp.high)
        self.power.set_value(texture.bake.ramp.power)
        self.strength.set_value(texture.bake.ramp.strength)
        self.invert.set_on(texture.bake.ramp.invert)
        few = texture.role in (Role.NORMAL, Role.ID_MAP, Role.GATHERED)
        self.bars.setVisible(not few)
        self._ramp.setVisible(not few)
        self._draw()
        self._draw_bars()
        self._say()

    def _say(self) -> None:
        """What is known of the chosen bake, and how far one is that is being made."""
        texture = self.current()
        if texture is None or texture.bake is None:
            return
        now, bake = self._bakes.under_way, texture.bake
        is_made_now = now is not None and now.texture == texture.id
        self.stop.setVisible(is_made_now)
        self.again.setVisible(not is_made_now)
        if is_made_now and now is not None:
            rays = f", {now.rays} rays of each texel are shown" if now.rays else ""
            self._facts.setText(f"Being made: {now.share:.0%}{rays}.")
            return
        if not bake.read:
            self._facts.setText("It will be made in a moment.")
            return
        rays = f"{bake.rays} rays of each texel, " if bake.rays else ""
        users = users_of(self._session, texture)
        words = [f"{rays}{bake.seconds:.1f} s, {age(bake.made)}."]
        if bake.kind == GLOW:
            words.append(f"Surroundings have the colors of {self._variant_name(bake.variant)} and keep them.")
        words += [f"{note}." for note in bake.notes]
        words.append(f"Used by {', '.join(users)}." if users else "Nothing uses it yet.")
        self._facts.setText(" ".join(words))

    def _variant_name(self, variant: str) -> str:
        return next((v.name for v in self._session.state.project.variants if v.id == variant), "the first variant")

    def look_at(self, u: float, v: float) -> None:
        """Show another part of the map, its middle in shares of it."""
        self._middle = (u, v)
        self._draw()

    def _look(self, dx: float, dy: float) -> None:
        self._middle = (min(max(self._middle[0] + dx / 2, 0.0), 1.0), min(max(self._middle[1] + dy / 2, 0.0), 1.0))
        self._draw()

    def _draw(self) -> None:
        texture = self.current()
        raster = self._session.state.textures.get(texture.id) if texture is not None else None
        if texture is None or raster is None or not self.isVisible():
            return
        former = self._former.get(texture.id)
        size = self.picture.width(), self.picture.height()
        now = image_of(_crop(raster, self._middle, size))
        same_shape = former is not None and former.width >= 16
        words = ("before", "now") if same_shape else ("", "now")
        self.picture.show_pictures(
            image_of(_crop(former, self._middle, size)) if same_shape and former else now, now, words
        )

    def _draw_bars(self) -> None:
        texture = self.current()
        if texture is None or texture.bake is None or self.bars.isHidden():
            return
        values = edit.values_before_ramp(self._session.state, texture)
        ramp = texture.bake.ramp
        if values is None and ramp.does_nothing:
            values = self._session.state.textures[texture.id].as_unit()
        bins = np.zeros(_BINS) if values is None else np.histogram(values[::2, ::2], _BINS, (0, 1))[0].astype(float)
        becomes = edit.ramped(((np.arange(_BINS) + 0.5) / _BINS).astype(np.float32), ramp)
        self.bars.show_bins(bins, becomes, ramp.low, ramp.high)

    def _keep_former(self, texture: str, before: Raster | None) -> None:
        if before is not None and before.width >= 16:
            self._former[texture] = before
        self._shown.ask()

    def _set_ramp(self, **changes: object) -> None:
        texture = self.current()
        if texture is not None and texture.bake is not None:
            ramp = {**texture.bake.ramp.model_dump(), **changes}
            self._session.apply(
                "Ramp of the bake", lambda s: edit.set_bake(s, texture.id, ramp=ramp), f"ramp {texture.id}"
            )

    def _again(self) -> None:
        texture = self.current()
        if texture is not None and texture.bake is not None:
            self._session.refine(lambda s: edit.set_bake(s, texture.id, read=""), texture.id)
            edit.forget_made(self._session.state, texture)
            self._bakes.again(texture.id)

    def _remove(self) -> None:
        texture = self.current()
        if texture is not None:
            self._session.apply(f"Take out {texture.name}", lambda s: remove_texture(s, texture.id))

    def _offer(self) -> None:
        menu = QMenu(self)
        has_mesh = self._session.state.mesh is not None
        for kind in BAKES.values():
            action = menu.addAction(entry(f"{kind.label}  -  {kind.summary}"), lambda k=kind.key: self.add(k))
            assert action is not None
            action.setEnabled(has_mesh)
        menu.addSeparator()
        glow = menu.addAction("Glow on its surroundings  -  light of the recipe, and a step that lays it", self.gather)
        assert glow is not None
        glow.setEnabled(has_mesh)
        menu.exec(self.new.mapToGlobal(QPoint(0, self.new.height())))

    def add(self, kind: str) -> None:
        """Have a bake of a kind made; of a finer mesh where it needs one."""
        how: dict[str, object] = {}
        if BAKES[kind].needs_finer:
            path, _ = QFileDialog.getOpenFileName(self, "A finer mesh in the same place", "", file_filters.MESHES)
            if not path:
                return
            self._session.sources.trust([path])
            how["finer"] = path
        size = max((max(r.size) for r in self._session.state.textures.values()), default=1024)
        how["size"] = min(max(size, 128), 2048)
        self._session.apply(f"Bake {BAKES[kind].label.lower()}", lambda s: edit.add_bake(s, kind, **how)[0])  # type: ignore[arg-type]
        textures = edit.baked_textures(self._session.state)
        if textures:
            self.refresh()
            self.choose(textures[-1].id)

    def gather(self) -> None:
        """Have the glow of the recipe gathered."""
        self._session.apply("Gather the glow", edit.gather_glow)


def users_of(session: Session, texture: Texture) -> list[str]:
    """What uses a texture, in words."""
    state = session.state
    steps = [s.name for s in state.sheet.steps if texture.id in textures_of(s, state.project.parameters)]
    regions = [
        r.name for r in state.project.regions.regions
        if r.source.reads == texture.id or any(texture.id in read_by(o)[1] for o in r.operations)
    ]  # fmt: skip
    starts = [key.replace("_", " ") for key, start in state.starts.items() if start.texture == texture.id]
    return [
        *(f"step {s}" for s in steps),
        *(f"region {r}" for r in regions),
        *(f"the {s} of the surface" for s in starts),
    ]


def _icon(raster: Raster) -> QIcon:
    step = max(1, max(raster.size) // _THUMB)
    small = Raster(np.ascontiguousarray(raster.pixels[::step, ::step]), raster.encoding)
    return QIcon(QPixmap.fromImage(image_of(rgba8(small)[..., :3])))


def _crop(raster: Raster, middle: tuple[float, float], size: tuple[int, int]) -> np.ndarray:
    """A part of a map as large as a widget, one texel a pixel, all of it where it is smaller: uint8 (h, w, 3)."""
    width, height = min(size[0], raster.width), min(size[1], raster.height)
    left = round(min(max(middle[0] * raster.width - width / 2, 0), raster.width - width))
    top = round(min(max(middle[1] * raster.height - height / 2, 0), raster.height - height))
    part = Raster(np.ascontiguousarray(raster.pixels[top : top + height, left : left + width]), raster.encoding)
    return np.ascontiguousarray(rgba8(part)[..., :3])
