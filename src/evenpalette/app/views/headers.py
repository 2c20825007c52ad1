"""What lies on the twin views: their headers, the names at a wipe, and what to do while there is nothing."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtWidgets import QComboBox, QLabel, QSlider, QToolButton, QVBoxLayout, QWidget

from evenpalette.app import theme
from evenpalette.app.plain import entry, plain
from evenpalette.app.widgets.basics import button, clear, label, row
from evenpalette.app.widgets.forms import whole
from evenpalette.core.document.variant import DEFAULTS_NAME, Variant
from evenpalette.core.recipe.attributes import ATTRIBUTES
from evenpalette.gpu.look import Show

STAGES = (
    ("Final color", Show.RECIPE), ("Painted original", Show.PAINTED), ("Tone", Show.TONE), ("Region flags", Show.ID),
    ("Coverage", Show.COVERAGE), ("Difference", Show.DIFFERENCE),
)  # fmt: skip
_STAGE_TIPS = {
    Show.COVERAGE: "Coverage of the selected region: black 0, white 1",
    Show.DIFFERENCE: "Where the final color differs from the painted original: black is none",
}
HEADER = 34
_MARGINS = (12, 3, 8, 3)
#: What can be compared with besides a variant, by its id. BEFORE: what was there before the chosen step.
NOTHING, PAINTED, DEFAULTS, BEFORE = "", "painted", "defaults", "before"
#: Before the id of a texture that is shown as a stage.
TEXTURE = "texture:"


def _title(text: str) -> QLabel:
    made = label(text, "onview")
    made.setFont(theme.font(15))
    return made


class ViewHeaders:
    """The widgets on the views; they belong to them and repaint them when something else is to be shown."""

    def __init__(self, views: QWidget) -> None:
        self._views = views
        self._offered: tuple[tuple[str, ...], tuple[tuple[str, str], ...]] = (), ()
        self._form, self._flat = self._over_form(), self._over_flat()
        for header in (self._form, self._flat):
            header.setParent(views)
            header.setObjectName("viewheader")
            header.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
            header.setFixedHeight(HEADER)
        self._on_views()

    def _over_form(self) -> QWidget:
        """What stands over Form."""
        self.form_stage = self._stage_box("Form shows")
        self.lit = self._toggle("sun", "Lit (L)")
        self.light = self._toggle("lightbulb", "Light: set-up, turn, exposure")
        self.light.setCheckable(False)
        self.copy = whole(
            "Copy shown", 0, 9999, 0, prefix="copy ",
            tip="Number of the placed copy that is shown: values picked by copy follow it",
        )  # fmt: skip
        self.copy.setObjectName("onview")
        self.copy.setFont(theme.font(theme.TEXT))
        self.clock = self._toggle("clock", "Time: what pulses and drifts, and a turn into another variant (T)")
        self.clock.setChecked(False)
        self.crowd = self._toggle("users", "Crowd: many copies, as a game places them (K)")
        self.crowd.setChecked(False)
        self.crowd.hide()
        self.against_box = self._box("Compare with", "Compare by a wipe: drag the line (C)")
        self.against_box.setMaximumWidth(170)
        self.compare = self._toggle(
            "columns-2", "Both sides of the wipe: variants, a former save, a delivery (Shift+C)"
        )
        self.compare.setCheckable(False)
        return row(
            _title("Form"), self.form_stage, self.lit, self.light, self.clock, self.crowd, self.copy, None,
            self.against_box, self.compare, spacing=6, margins=_MARGINS,
        )  # fmt: skip

    def _over_flat(self) -> QWidget:
        """What stands over Flat."""
        self.flat_stage = self._stage_box("Flat shows")
        self.lines = self._toggle("grid-3x3", "UV layout over Flat (U)")
        self.overlay = QSlider(Qt.Orientation.Horizontal, self._views)
        self.overlay.setObjectName("onview")
        self.overlay.setRange(0, 100)
        self.overlay.setValue(55)
        self.overlay.setFixedWidth(96)
        self.overlay.setAccessibleName("Strength of the regions laid over")
        self.overlay.setToolTip(
            "How strong the regions are laid over both views; the chosen one is strongest, what is in none is hatched"
        )
        self.overlay.valueChanged.connect(lambda _: self._views.update())
        self._overlay_name = label("Regions", "onview", self._views)
        return row(
            _title("Flat"), self.flat_stage, self.lines, None, self._overlay_name, self.overlay, spacing=6,
            margins=_MARGINS,
        )  # fmt: skip

    def _on_views(self) -> None:
        """Words that lie on the views, and where a begin is offered."""
        self._left_name, self._right_name = self._words("", theme.TEXT), self._words("", theme.TEXT)
        self._tag = self._words("", theme.TEXT)
        self._tag.hide()
        self._compiling = self._words("The new picture is being prepared ...", theme.NOTE)
        self._compiling.hide()
        self._eyes = self._words("", theme.NOTE)
        self._eyes.hide()
        self._form_hint = self._words("Drop a mesh here (OBJ, PLY, GLB or glTF),\nor bring one in at Asset.", 15)
        self._begin_holder = QWidget(self._views)
        self._begin = QVBoxLayout(self._begin_holder)
        self._begin.setContentsMargins(0, 0, 0, 0)
        self._begin.setSpacing(8)
        self._flat_hint = self._words(
            "Drop textures here: the painted color,\nan ID map or a channel mask, occlusion, dirt.", 15
        )

    def _words(self, text: str, pixels: int) -> QLabel:
        made = label(text, "onviewhint", self._views)
        made.setFont(theme.font(pixels))
        made.setAlignment(Qt.AlignmentFlag.AlignCenter)
        made.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        return made

    def _box(self, name: str, tip: str) -> QComboBox:
        box = QComboBox(self._views)
        box.setObjectName("onview")
        theme.light_on_view(box)
        box.setFont(theme.font(theme.TEXT))
        box.setAccessibleName(name)
        box.setToolTip(plain(tip))
        return box

    def _stage_box(self, name: str) -> QComboBox:
        box = self._box(name, f"{name}: which stage of the texel is drawn")
        self._fill(box, ())
        box.currentIndexChanged.connect(lambda _: self._views.update())
        return box

    @staticmethod
    def _fill(box: QComboBox, attributes: Sequence[str], pictures: Sequence[tuple[str, str]] = ()) -> None:
        for text, stage in STAGES:
            box.addItem(text, stage)
            if stage in _STAGE_TIPS:
                box.setItemData(box.count() - 1, plain(_STAGE_TIPS[stage]), Qt.ItemDataRole.ToolTipRole)
        if attributes:
            box.insertSeparator(box.count())
        for key in attributes:
            box.addItem(ATTRIBUTES[key].label, key)
            box.setItemData(
                box.count() - 1, plain(f"As it is stored. {ATTRIBUTES[key].description}"), Qt.ItemDataRole.ToolTipRole
            )
        if pictures:
            box.insertSeparator(box.count())
        for key, name in pictures:
            box.addItem(name, TEXTURE + key)
            box.setItemData(box.count() - 1, plain(f"{name}, as it is stored"), Qt.ItemDataRole.ToolTipRole)

    def fill_stages(self, attributes: Sequence[str], pictures: Sequence[tuple[str, str]] = ()) -> None:
        """Offer the attributes that the recipe makes beside the stages, and pictures, (id, name) each; what is shown
        stays, where it is still there."""
        if (tuple(attributes), tuple(pictures)) == self._offered:
            return
        self._offered = tuple(attributes), tuple(pictures)
        for box in (self.form_stage, self.flat_stage):
            shown = box.currentData()
            box.blockSignals(True)
            box.clear()
            self._fill(box, attributes, pictures)
            box.setCurrentIndex(max(0, box.findData(shown)))
            box.blockSignals(False)

    def show_overlay(self, on: bool) -> None:
        """Show how strong regions are laid over."""
        self.overlay.setVisible(on)
        self._overlay_name.setVisible(on)

    def set_begin(self, actions: Sequence[tuple[str, Callable[[], object]]]) -> None:
        """What there is to begin with, as buttons on the empty view."""
        clear(self._begin)
        for text, run in actions:
            made = button(entry(text), run)
            made.setFont(theme.font(theme.TEXT))
            self._begin.addWidget(made)

    def show_moment(self, *, copies: bool, moves: bool) -> None:
        """Show the copy's number and the time where there is anything that follows them."""
        self.copy.setVisible(copies)
        self.clock.setVisible(moves)

    def _toggle(self, icon: str, tip: str) -> QToolButton:
        made = QToolButton(self._views)
        made.setObjectName("onview")
        made.setIcon(theme.icon(icon, theme.ON_VIEW, theme.ON_VIEW))
        made.setCheckable(True)
        made.setChecked(True)
        made.setToolTip(plain(tip))
        made.setAccessibleName(tip)
        made.toggled.connect(lambda _: self._views.update())
        return made

    def fill_against(self, variants: Sequence[Variant], pictures: Sequence[tuple[str, str]], chosen: str) -> bool:
        """Offer the painted original, the defaults, these variants, and pictures from elsewhere, (name, key) each;
        whether the chosen one is among them."""
        box = self.against_box
        box.blockSignals(True)
        box.clear()
        box.addItem("Compare with ...", NOTHING)
        box.addItem("Painted original", PAINTED)
        box.addItem("Before the step", BEFORE)
        box.addItem(DEFAULTS_NAME, DEFAULTS)
        for variant in variants:
            box.addItem(variant.name, variant.id)
        for name, key in pictures:
            box.addItem(name, key)
        found = box.findData(chosen)
        box.setCurrentIndex(max(0, found))
        box.blockSignals(False)
        return found >= 0

    def show_against(self, chosen: str) -> None:
        """Show what is compared with."""
        self.against_box.setCurrentIndex(max(0, self.against_box.findData(chosen)))

    def say_compiling(self, on: bool) -> None:
        """Say over Form that its picture is not yet that of the document."""
        self._compiling.setVisible(on)

    def say_eyes(self, words: str) -> None:
        """Say over the views whose eyes look on; '' for most people's."""
        self._eyes.setText(f"Through other eyes: {words}")
        self._eyes.setVisible(bool(words))
        self._eyes.adjustSize()
        self._eyes.move(12, HEADER + 8)

    def place(self, form: QRect, flat: QRect, wipe: float, compared: tuple[str, str] | None) -> None:
        """Put everything where it belongs; compared: the names on both sides of the wipe, None without one."""
        self._form.setGeometry(form.left(), 0, form.width(), HEADER)
        self._flat.setGeometry(flat.left(), 0, flat.width(), HEADER)
        above = form.adjusted(0, HEADER, 0, 0)
        if not self._begin_holder.isHidden():
            above.setBottom(form.center().y())
        for hint, space in ((self._form_hint, above), (self._flat_hint, flat.adjusted(0, HEADER, 0, 0))):
            hint.adjustSize()
            hint.move(space.center() - hint.rect().center())
        self._compiling.adjustSize()
        self._compiling.move(form.center().x() - self._compiling.width() // 2, form.bottom() - 40)
        width, height = min(260, form.width() - 48), self._begin_holder.sizeHint().height()
        middle = form.center()
        self._begin_holder.setGeometry(
            middle.x() - width // 2, min(middle.y() + 16, form.bottom() - height - 16), width, height
        )
        for name, text in zip((self._left_name, self._right_name), compared or ("", ""), strict=True):
            name.setText(text)
            name.adjustSize()
            name.setVisible(compared is not None)
        x, y = form.left() + form.width() * wipe, form.height() - 30
        self._left_name.move(max(4, round(x - 16 - self._left_name.width())), y)
        self._right_name.move(min(form.right() - self._right_name.width() - 4, round(x + 16)), y)

    def show_tag(self, place: QPoint, text: str, view: QRect) -> None:
        """Say something beside the pointer, within a view; '' says nothing."""
        self._tag.setVisible(bool(text))
        if text:
            self._tag.setText(text)
            self._tag.adjustSize()
            width, height = self._tag.width(), self._tag.height()
            x = place.x() + 16 if place.x() + 16 + width < view.right() else place.x() - 12 - width
            self._tag.move(x, min(max(place.y() + 14, view.top() + 4), view.bottom() - height - 4))

    def show_hints(self, *, form: bool, flat: bool) -> None:
        """Say what to do next where a view is empty."""
        self._form_hint.setVisible(form)
        self._begin_holder.setVisible(form and flat and self._begin.count() > 0)
        self._flat_hint.setVisible(flat)
