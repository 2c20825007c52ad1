"""Tones, ramps: gray becomes color along stops; made by hand, of a palette, of a picture, or loud to see the
mapping."""

from collections.abc import Callable

from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QWidget

from evenpalette.app.facets import ASSET
from evenpalette.app.plain import entry
from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import button, choice, column, label, row
from evenpalette.app.widgets.color_field import ColorField
from evenpalette.app.widgets.forms import slider, whole
from evenpalette.app.widgets.ramp_field import RampField
from evenpalette.app.widgets.when_shown import WhenShown
from evenpalette.core.document.project import Role
from evenpalette.core.document.state import State
from evenpalette.core.edits import ramps as edit
from evenpalette.core.tones.ramps import LOUD, MOST_STOPS, Between, Ramp, Stop

_PLAIN = Ramp((Stop(0.0, "#000000"), Stop(1.0, "#ffffff")), Between.OKLAB)
_WORDS = ((Between.LINEAR, "linear light"), (Between.OKLAB, "OKLab"), (Between.STEPPED, "stepped"))
#: What a gray is that a strip can be laid over.
_GRAYS = (Role.INDEX, Role.MASK, Role.HEIGHT, Role.DATA, Role.OCCLUSION, Role.ROUGHNESS, Role.METALLIC)
Make = Callable[[State], Ramp]


class RampPage(QWidget):
    """Left which ramp and new ones, in the middle its rows, right the chosen stop and what is done with the ramp."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.ramp = choice("Ramp texture", taken=lambda _: self.refresh())
        self._stops = whole("Stops of a new ramp", 2, MOST_STOPS, 6)
        self._new = button(
            "New ramp ...",
            lambda: self._offer(self._add),
            "primary",
            "By hand, of a palette, along a picture's colors, or loud",
        )
        self._facts = label("", "note")
        self._facts.setWordWrap(True)
        left = column(
            label("Ramp", "heading"), self.ramp, row(self._new, self._stops, label("stops", "note"), None, spacing=6), self._facts, None, spacing=5,
        )  # fmt: skip
        left.setFixedWidth(250)
        self.field = RampField()
        self.field.edited.connect(self._edit)
        self.field.finished.connect(session.history.seal)
        self.field.chosen.connect(self._show_stop)
        self.field.asked.connect(lambda: self._color.open_editor())
        self._color = ColorField()
        self._color.edited.connect(self.field.recolor)
        self._color.finished.connect(session.history.seal)
        self._place = slider(
            0, 1, 0, name="Place of the stop", decimals=3, taken=self.field.move_to, ended=session.history.seal
        )
        self._between = choice("Between stops", [(words, between) for between, words in _WORDS])
        self._between.activated.connect(self._set_between)
        self._over = choice("Gray that the ramp colors")
        self._tools = [
            button("Hard edge", self.field.harden, "", "The color before the stop ends where it begins (H)"),
            button("Remove stop", self.field.remove, "", "Take the chosen stop out (Del)"),
            button("Add row ...", lambda: self._offer(self._add_row), "", "Another ramp in the same strip: a variant's row can choose it"),
            button("Remove row", self._remove_row),
            button("Lay in the recipe", self._lay, "", "A Ramp step on what is below, or a Palette step over a gray texture"),
        ]  # fmt: skip
        hard, gone, add, remove, lay = self._tools
        right = column(
            label("Stop and rows", "heading"), row(self._color, self._place, spacing=8), row(hard, gone, None, spacing=6),
            row(self._between, add, remove, None, spacing=6), row(lay, self._over, spacing=6), None, spacing=5,
        )  # fmt: skip
        right.setFixedWidth(330)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(24)
        layout.addWidget(left)
        layout.addWidget(column(self.field), 1)
        layout.addWidget(right)
        self._shown = WhenShown(self, self.refresh)
        session.changed.connect(lambda facets: self._shown.ask() if ASSET in facets else None)
        self.refresh()

    @property
    def current(self) -> str:
        """The id of the strip that is shown, '' without one."""
        return str(self.ramp.currentData() or "")

    def refresh(self) -> None:
        """Show the ramps as they are now."""
        state, chosen, over = self._session.state, self.ramp.currentData(), self._over.currentData()
        self.ramp.clear()
        for texture in edit.strips_with_ramps(state):
            self.ramp.addItem(texture.name, texture.id)
        self.ramp.setCurrentIndex(max(0, self.ramp.findData(chosen)))
        self._over.clear()
        self._over.addItem("on what is below", "")
        for texture in state.project.asset.with_role(*_GRAYS):
            self._over.addItem(f"over {texture.name}", texture.id)
        self._over.setCurrentIndex(max(0, self._over.findData(over)))
        has = bool(self.current)
        self.ramp.setVisible(has)
        self.field.setVisible(has)
        for widget in (*self._tools, self._color, self._place, self._between, self._over):
            widget.setEnabled(has)
        if not has:
            self._facts.setText(
                "No ramp yet. A ramp colors a gray: rust, heat, a sunset, skin from shadow to light. It is kept as a strip texture."
            )
            return
        ramps = edit.ramps_of(state, self.current)
        self.field.show_ramps(ramps)
        self._tools[3].setEnabled(len(ramps) > 1)
        count = len(ramps[self.field.row].stops)
        self._facts.setText(
            f"{count} stops, {len(ramps)} {'row' if len(ramps) == 1 else 'rows'} of {edit.WIDTH} texels."
        )
        self._show_stop()

    def _show_stop(self) -> None:
        ramp = self.field.ramp
        if ramp is not None:
            stop = ramp.stops[self.field.stop]
            self._color.set_color(stop.color)
            self._place.set_value(stop.position)
            self._between.setCurrentIndex(self._between.findData(ramp.between))

    def _edit(self, ramp: Ramp) -> None:
        strip, line = self.current, self.field.row
        self._session.apply("Ramp", lambda s: edit.set_ramp(s, strip, line, ramp), f"ramp {strip} {line}")

    def _set_between(self, place: int) -> None:
        ramp = self.field.ramp
        if ramp is not None:
            self._edit(Ramp(ramp.stops, self._between.itemData(place)))
            self._session.history.seal()

    def _offer(self, take: Callable[[str, str, Make], None]) -> None:
        """Ways to a ramp; `take` gets what it is called, of what it is, and a function that makes it."""
        state, menu, count = self._session.state, QMenu(self), self._stops.value()
        menu.addAction("Black to white", lambda: take("Black to white", "ramp", lambda _: _PLAIN))
        menu.addAction("Loud, to see the mapping", lambda: take("Loud", "loud", lambda _: LOUD))
        for texture in state.project.asset.with_role(Role.INDEX):
            if texture.strip in state.textures:
                menu.addAction(
                    entry(f"Palette of {texture.name}"),
                    lambda t=texture: take(
                        f"Palette of {t.name}", edit.name_for(t.name), lambda s: edit.ramp_of_index(s, t.id)
                    ),
                )
        region = state.project.regions.find(self._session.selection.region or "")
        for texture in state.project.asset.with_role(Role.PAINTED, Role.COLOR):
            for words, only in (("", None), *([(f" in {region.name}", region.id)] if region is not None else [])):
                menu.addAction(
                    entry(f"Colors of {texture.name}{words}"),
                    lambda t=texture, o=only: take(
                        f"Colors of {t.name}", edit.name_for(t.name), lambda s: edit.ramp_of_picture(s, t.id, count, o)
                    ),
                )
        menu.exec(QCursor.pos())

    def _add(self, words: str, name: str, make: Make) -> None:
        def then() -> None:
            self.refresh()
            self.ramp.setCurrentIndex(self.ramp.count() - 1)
            self.refresh()

        self._session.run(f"Ramp: {words}", lambda s, _: edit.add_ramp(s, make(s), name), then)

    def _add_row(self, words: str, _: str, make: Make) -> None:
        strip = self.current
        self._session.run(
            f"Row: {words}", lambda s, _: edit.set_ramps(s, strip, [*edit.ramps_of(s, strip), make(s)]),
            lambda: self.field.choose_row(10**6),
        )  # fmt: skip

    def _remove_row(self) -> None:
        strip, line = self.current, self.field.row
        self._session.apply(
            "Remove row",
            lambda s: edit.set_ramps(s, strip, [r for k, r in enumerate(edit.ramps_of(s, strip)) if k != line]),
        )

    def _lay(self) -> None:
        strip, line, gray = self.current, self.field.row, str(self._over.currentData() or "")
        self._session.apply("Ramp step", lambda s: edit.lay_ramp(s, strip, line, gray))
