"""Paint: the brush, and the regions it can change."""

from dataclasses import replace

from PyQt6.QtWidgets import QCheckBox, QGridLayout, QWidget

from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.views import TwinViews
from evenpalette.app.widgets.basics import button, captions, choice, label, row
from evenpalette.app.widgets.forms import slider
from evenpalette.app.widgets.value_slider import ValueSlider
from evenpalette.core.edits import painting as edit
from evenpalette.core.edits.refining import add_operation, freeze
from evenpalette.core.regions.painting.brush import LARGEST_RADIUS, SMALLEST_RADIUS, TIPS
from evenpalette.core.regions.region_set import Region

_ACTIONS = (
    ("Brush", "brush"), ("Fill island", "island"), ("Fill shell", "shell"), ("Fill material group", "group"),
    ("Fill everything", "all"),
)  # fmt: skip
_MIRRORS = (("not mirrored", ""), ("mirrored in X", "x"), ("mirrored in Y", "y"), ("mirrored in Z", "z"))


class PaintPage(QWidget):
    """The page of the bench Regions from which the brush is set."""

    def __init__(self, session: Session, views: TwinViews) -> None:
        super().__init__()
        self._session, self._tool, self._views = session, views.stroke_tool, views
        brush = self._tool.brush
        self.brush_size = self._slider(2 * SMALLEST_RADIUS, 2 * LARGEST_RADIUS, " tx", 2 * brush.radius, "radius", 0.5)
        self.brush_size.setToolTip("Diameter in texels; on Form the ball is as large as that is on average (, and .)")
        self._hardness = self._slider(0, 100, " %", 100 * brush.hardness, "hardness", 0.01)
        self._hardness.setToolTip("How much of the radius is full before the edge falls off")
        self._flow = self._slider(1, 100, " %", 100 * brush.flow, "flow", 0.01)
        self._flow.setToolTip("How much one dab lays down")
        self._spacing = self._slider(2, 200, " %", 100 * brush.spacing, "spacing", 0.01)
        self._spacing.setToolTip("From one dab to the next, in parts of the diameter")
        self._scatter = self._slider(0, 200, " %", 100 * brush.scatter, "scatter", 0.01)
        self._scatter.setToolTip("How far dabs are thrown aside, in parts of the diameter")
        self.action = choice(rows=_ACTIONS, tip="What a click or a drag does", taken=self._choose_action)
        self.tip = choice(rows=[(t, t) for t in TIPS], tip="The grain of a dab", taken=lambda tip: self._set(tip=tip))
        self.mirror = choice(
            rows=_MIRRORS, tip="Repeats the stroke across the middle of the model",
            taken=lambda mirror: self._set(mirror=mirror),
        )  # fmt: skip
        self.erase = self._check("Erase", brush.erases, "Takes coverage away (hold Ctrl for one stroke)", "erases")
        self._takes = self._check(
            "Take from others", brush.takes_from_others,
            "Other painted regions lose what this one gets; locked ones keep theirs", "takes_from_others",
        )  # fmt: skip
        self._turns = self._check("Turn by chance", brush.turns, "Every dab is turned", "turns")
        self._pen_size = self._check("Size", brush.pressure_sizes, "Pressure changes the size", "pressure_sizes")
        self._pen_flow = self._check("Flow", brush.pressure_flows, "Pressure changes the flow", "pressure_flows")
        self.simulate = QCheckBox("Simulate a pen")
        self.simulate.setToolTip("A pointer without pressure sets in softly and lightens when it is fast")
        self.simulate.toggled.connect(lambda on: setattr(self._tool, "simulates_pen", on))
        self.freeze = button("Freeze", self._freeze, "primary", "Make the coverage as it is now a painted one")
        self._invert = button("Invert", self._invert_region, tip="What is covered is not, and the other way about")
        self._new = button("New painted region", self.add_region, tip="An empty region to paint (Ctrl+Shift+P)")
        self._freeze_all = button(
            "", self._freeze_others, tip="Regions that follow their source keep their coverage under the brush; frozen"
            " ones lose what this one gets",
        )  # fmt: skip
        self._hint = label("Shift: a line from the last stroke. Right button: turn Form.", "note")
        self._warning = label("", "warn")
        self._warning.setWordWrap(True)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(2)
        captions(grid, (
            ("Size", self.brush_size), ("Hardness", self._hardness), ("Flow", self._flow), ("Spacing", self._spacing),
            ("Scatter", self._scatter),
        ))  # fmt: skip
        captions(grid, (
            ("Pointer", self.action), ("Tip", row(self.tip, self._turns, None)), ("Mirror", self.mirror),
            ("Pen", row(self._pen_size, self._pen_flow, self.simulate, None)),
            ("", row(self.erase, self._takes, None)),
        ), 3)  # fmt: skip
        grid.setColumnMinimumWidth(2, 8)
        grid.addWidget(row(self.freeze, self._invert, self._new, self._freeze_all, None, spacing=6), 5, 0, 1, 2)
        grid.addWidget(self._hint, 5, 3, 1, 2)
        grid.addWidget(self._warning, 5, 3, 1, 2)
        grid.setColumnStretch(1, 3)
        grid.setColumnStretch(4, 2)
        grid.setRowStretch(6, 1)

    def _slider(self, low: float, high: float, unit: str, value: float, key: str, scale: float) -> ValueSlider:
        return slider(
            low, high, value, unit=unit, decimals=0, curve=2.5 if key == "radius" else 1.0,
            taken=lambda v: self._set(**{key: v * scale}),
        )  # fmt: skip

    def _check(self, text: str, on: bool, tip: str, key: str) -> QCheckBox:
        made = QCheckBox(text)
        made.setChecked(on)
        made.setToolTip(plain(tip))
        made.toggled.connect(lambda value: self._set(**{key: value}))
        return made

    def refresh(self, region: Region | None) -> None:
        """Show what can be done to a region."""
        reason = edit.why_not_paintable(region)
        frozen = region is not None and region.source.keeps_texels and not region.operations
        self.freeze.setVisible(not frozen)
        self.freeze.setEnabled(region is not None)
        self._invert.setVisible(frozen)
        self._invert.setEnabled(not reason)
        regions = self._session.state.project.regions.regions
        following = sum(not (r.source.keeps_texels and not r.operations) for r in regions)
        self._freeze_all.setVisible(frozen and following > 0)
        self._freeze_all.setText(f"Freeze {following} others")
        self._warning.setText(reason)
        self._warning.setVisible(bool(reason))
        self._hint.setVisible(not reason)
        self._tool.prepare()

    def resize_brush(self, factor: float) -> None:
        """Make the brush larger or smaller."""
        self.brush_size.set_value(max(2 * SMALLEST_RADIUS, min(2 * LARGEST_RADIUS, self.brush_size.value * factor)))
        self._set(radius=self.brush_size.value / 2)

    def add_region(self) -> None:
        """Add an empty painted region and select it."""
        before = set(self._session.state.region_ids)
        home = self._session.state.project.regions.division_of(self._session.selection.region).id
        if self._session.apply("New painted region", lambda s: edit.add_painted_region(s, home)):
            new = [r for r in self._session.state.region_ids if r not in before]
            self._session.selection.select_region(new[0])

    def _set(self, **parts: object) -> None:
        self._tool.brush = replace(self._tool.brush, **parts)  # type: ignore[arg-type]
        self._tool.prepare()
        self._views.update()

    def _choose_action(self, action: str) -> None:
        self._tool.action = action
        for widget in (
            self.brush_size,
            self._hardness,
            self._flow,
            self._spacing,
            self._scatter,
            self.tip,
            self.mirror,
        ):
            widget.setEnabled(action == "brush")

    def _freeze(self) -> None:
        region = self._session.state.project.regions.find(self._session.selection.region or "")
        if region is not None:
            self._session.run(f"Freeze {region.name}", lambda s, _: freeze(s, [region.id]))

    def _freeze_others(self) -> None:
        ids = self._session.state.region_ids
        self._session.run("Freeze all regions", lambda s, _: freeze(s, ids))

    def _invert_region(self) -> None:
        region = self._session.selection.region
        if region:
            self._session.run("Invert", lambda s, _: freeze(add_operation(s, region, "invert"), [region]))
