"""Source: what a region is called, its flag, and what its coverage is made from."""

from collections.abc import Callable
from typing import NamedTuple

from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from evenpalette.app.session import Session
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, caption, choice, clear, label, row
from evenpalette.app.widgets.color_field import ColorField
from evenpalette.app.widgets.forms import slider
from evenpalette.core.document.state import State
from evenpalette.core.edits import regions as edit
from evenpalette.core.regions.region_set import Region
from evenpalette.core.regions.sources.flag import FlagSource

_COLUMNS = 3


class Beginning(NamedTuple):
    """What regions can be made of, and whether it is there."""

    text: str
    run: Callable[[], object]
    ready: bool = True


class SourcePage(QWidget):
    """The page of the bench Regions that shows one region's source."""

    def __init__(self, session: Session, views: TwinViews, beginnings: Callable[[], list[Beginning]]) -> None:
        super().__init__()
        self._session, self._beginnings = session, beginnings
        self._name = QLineEdit()
        self._name.setAccessibleName("Name of the region")
        self._name.editingFinished.connect(self._rename)
        self._flag = ColorField()
        self._flag.edited.connect(lambda c: self._update("Flag color", f"flag {session.selection.region}", flag=c))
        self._flag.finished.connect(session.history.seal)
        self._from = label("", "")
        self._locked = QCheckBox("locked")
        self._locked.setToolTip("Painting other regions leaves its texels alone")
        self._locked.clicked.connect(lambda on: self._update("Lock" if on else "Unlock", locked=on))
        self._color = ColorField(views.start_pick)
        self._color.edited.connect(lambda c: self._update_source("Picked color", color=c))
        self._edges = choice(
            "How edges are read",
            (
                ("exact shares", "shares"), ("thresholds in RGB", "rgb"), ("thresholds in CIEDE2000", "ciede2000"),
                ("thresholds in OKLab", "oklab"),
            ),
            tip="Exact shares: edge texels are solved as mixtures of the flags beside them",
            taken=lambda key: self._choose_edges(str(key)),
        )  # fmt: skip
        self._contiguous = QCheckBox("contiguous")
        self._contiguous.setToolTip("Only the connected piece around the texel that was picked")
        self._contiguous.clicked.connect(lambda on: self._update_source("Contiguous", contiguous=on))
        self._edges_row = row(self._edges, self._contiguous, None, spacing=6)
        self._near = slider(
            0, 442, 0, tip="Up to this distance the coverage is full (8-bit RGB, 0 to 442)", ended=session.history.seal,
            taken=lambda v: self._update_source("Near threshold", near=v, far=max(v, self._far.value)),
        )  # fmt: skip
        self._far = slider(
            0, 442, 0, tip="From this distance on there is none", ended=session.history.seal,
            taken=lambda v: self._update_source("Far threshold", far=v, near=min(v, self._near.value)),
        )  # fmt: skip
        self._form = QWidget()
        grid = QGridLayout(self._form)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(1)
        self._labels = {}
        for line, (text, widget) in enumerate((
            ("Name", row(self._name, self._locked, spacing=10)), ("Flag color", self._flag), ("Made from", self._from), ("Image color", self._color),
            ("Edges", self._edges_row), ("Near", self._near), ("Far", self._far),
        )):  # fmt: skip
            self._labels[text] = caption(text, widget)
            grid.addWidget(self._labels[text], line, 0)
            grid.addWidget(widget, line, 1)
        grid.setRowStretch(8, 1)
        grid.setColumnStretch(1, 1)
        self._begin = QWidget()
        self._offers = QGridLayout(self._begin)
        self._offers.setContentsMargins(0, 4, 0, 0)
        self._offers.setSpacing(8)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._begin)
        layout.addWidget(self._form, 1)

    def _offer(self) -> None:
        """Without a region: what regions can be made of, a click each."""
        clear(self._offers)
        ready = [beginning for beginning in self._beginnings() if beginning.ready]
        words = (
            "Begin with what is there, or select faces, or paint."
            if ready
            else "Bring in a mesh or an ID map at Asset."
        )
        self._offers.addWidget(label(words, "note"), 0, 0, 1, _COLUMNS)
        for place, beginning in enumerate(ready):
            made = button(beginning.text, beginning.run)
            self._offers.addWidget(made, 1 + place // _COLUMNS, place % _COLUMNS)
        self._offers.setRowStretch(2 + len(ready) // _COLUMNS, 1)

    def refresh(self, region: Region | None) -> None:
        """Show a region as it is now."""
        self._form.setVisible(region is not None)
        self._begin.setVisible(region is None)
        if region is None:
            self._offer()
            return
        state = self._session.state
        self._locked.setChecked(region.locked)
        self._name.setText(region.name)
        self._flag.set_color(region.flag)
        flag = region.source if isinstance(region.source, FlagSource) else None
        for widget, text in (
            (self._color, "Image color"),
            (self._edges_row, "Edges"),
            (self._near, "Near"),
            (self._far, "Far"),
        ):
            soft = flag is not None and (text not in ("Near", "Far") or flag.edges == "thresholds")
            widget.setVisible(soft)
            self._labels[text].setVisible(soft)
        self._from.setText(edit.source_said(state, region.source))
        if isinstance(region.source, FlagSource):
            self._color.set_color(region.source.color)
            soft = region.source.edges == "thresholds"
            self._edges.setCurrentIndex(self._edges.findData(region.source.metric if soft else "shares"))
            self._contiguous.setChecked(region.source.contiguous)
            self._contiguous.setVisible(region.source.seed is not None)
            for slider in (self._near, self._far):
                slider.set_range(0, 442 if region.source.metric == "rgb" else 100)
            self._near.set_value(region.source.near)
            self._far.set_value(region.source.far)

    def _update(self, text: str, key: str = "", **parts: object) -> None:
        if region := self._session.selection.region:
            self._session.apply(text, lambda s: edit.update_region(s, region, **parts), key)

    def _update_source(self, text: str, **parts: object) -> None:
        region = self._session.state.project.regions.find(self._session.selection.region or "")
        if region is None:
            return

        def change(state: State) -> State:
            now = state.project.regions.find(region.id)
            return (
                state
                if now is None
                else edit.update_region(state, region.id, source={**now.source.model_dump(), **parts})
            )

        self._session.run_latest(text, change, f"source {region.id} {sorted(parts)}")

    def _choose_edges(self, choice: str) -> None:
        """How edges are read: exact shares, or thresholds in a metric, which start at values that suit it."""
        if choice == "shares":
            self._update_source("Edges", edges="shares")
            return
        near, far = (48.0, 208.0) if choice == "rgb" else (5.0, 25.0)
        self._update_source("Edges", edges="thresholds", metric=choice, near=near, far=far)

    def _rename(self) -> None:
        region = self._session.state.project.regions.find(self._session.selection.region or "")
        if region is not None and self._name.isModified() and self._name.text().strip() not in ("", region.name):
            self._update(f"Rename region to {self._name.text()}", name=self._name.text().strip())
        self._name.setModified(False)
