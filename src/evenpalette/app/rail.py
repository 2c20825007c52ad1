"""The variant rail: live pictures of the variants; the active one is what the views show."""

from collections.abc import Mapping

from PyQt6.QtCore import QModelIndex, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter, QPen
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QStyle,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from evenpalette.app import theme
from evenpalette.app.facets import ACTIVE, CROWD, DELIVERY, NAME, REVIEW, VALUES, VARIANTS
from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import label, row, tool
from evenpalette.app.widgets.named_list import NamedDelegate, NamedList, NamedModel
from evenpalette.core.document.variant import DEFAULTS_NAME, Variant
from evenpalette.core.edits import variants as edit

PICTURE = (104, 64)


class VariantModel(NamedModel):
    """First the defaults, then the variants."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.pictures: dict[str | None, QImage] = {}

    def entries(self) -> list[Variant | None]:
        return [None, *self._session.state.project.variants]

    def ids(self) -> list[str | None]:
        """The variant of each row; None is the defaults."""
        return [variant.id if variant else None for variant in self.entries()]

    def name(self, entry: object) -> str:
        return entry.name if isinstance(entry, Variant) else DEFAULTS_NAME

    def tip(self, entry: object) -> str:
        if not isinstance(entry, Variant):
            return "What variants follow unless they say otherwise"
        parent = edit.find_variant(self._session.state, entry.parent)
        return f"{entry.name}: {len(entry.values)} own values, follows {parent.name if parent else 'the defaults'}"

    def may_rename(self, entry: object) -> bool:
        return isinstance(entry, Variant)

    def rename(self, entry: object, name: str) -> bool:
        assert isinstance(entry, Variant)
        return self._session.apply(f"Rename variant to {name}", lambda s: edit.rename_variant(s, entry.id, name))


class VariantDelegate(NamedDelegate):
    """Draws the picture with the name below."""

    def __init__(self, model: VariantModel, session: Session) -> None:
        super().__init__()
        self._model, self._session = model, session

    def sizeHint(self, _option: QStyleOptionViewItem, _index: QModelIndex) -> QSize:
        return QSize(PICTURE[0] + 8, PICTURE[1] + 26)

    def editor_rect(self, option: QStyleOptionViewItem) -> tuple[int, int, int, int]:
        return option.rect.left() + 2, option.rect.bottom() - 24, option.rect.width() - 4, 24

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(option.rect.left() + 4, option.rect.top() + 3, PICTURE[0], PICTURE[1])
        variant_id = self._model.ids()[index.row()]
        picture = self._model.pictures.get(variant_id)
        if picture is not None:
            painter.drawImage(box, picture)
        else:
            painter.fillRect(box, QColor(theme.SURROUND))
        active = variant_id == self._session.state.project.active_variant
        focused = bool(option.state & QStyle.StateFlag.State_HasFocus)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(theme.ACCENT if active else "#b5b5b5"), 2 if active else 1))
        painter.drawRoundedRect(box.adjusted(-1, -1, 1, 1) if active else box, 3, 3)
        if focused and not active:
            painter.setPen(QPen(QColor(theme.ACCENT), 1, Qt.PenStyle.DotLine))
            painter.drawRoundedRect(box.adjusted(-2, -2, 2, 2), 3, 3)
        painter.setPen(QColor(theme.INK))
        painter.setFont(theme.font(theme.NOTE, strong=active))
        text_box = QRectF(box.left(), box.bottom() + 2, box.width(), 18)
        name = str(index.data())
        variant = edit.find_variant(self._session.state, variant_id)
        if variant is not None and variant.parent is not None:
            theme.icon("git-branch", theme.MUTED).paint(painter, int(box.left()) - 2, int(text_box.top()) + 3, 13, 13)
            text_box.adjust(13, 0, 0, 0)
        painter.drawText(
            text_box,
            Qt.AlignmentFlag.AlignLeft,
            painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(text_box.width())),
        )
        painter.restore()


class VariantRail(QWidget):
    """The list of variants, with what can be done to them."""

    #: Pictures of these variants are no longer what they look like; a list of ids, None among them are the defaults.
    pictures_wanted = pyqtSignal(list)
    #: All variants are to be seen side by side, or no longer.
    sheet_wanted = pyqtSignal()
    #: All values of all variants are to be seen over the window, or no longer.
    matrix_wanted = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.setObjectName("chrome")
        self.setFixedWidth(128)
        self.model = VariantModel(session)
        self.list = NamedList(
            self.model,
            VariantDelegate(self.model, session),
            "Variants",
            [
                ("Derive a variant", "Ctrl+D", self.derive),
                ("Duplicate", "Ctrl+Shift+D", self.duplicate),
                ("Reset to its parent", "Ctrl+Backspace", self.reset),
                ("Move up", "Alt+Up", lambda: self._move(-1)),
                ("Move down", "Alt+Down", lambda: self._move(1)),
                ("Delete variant", "Del", self.remove),
            ],
            lambda row: slice(None) if row > 0 else slice(1, 2),
            self,
        )
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.selectionModel().currentChanged.connect(self._select)  # type: ignore[union-attr]
        layout = QVBoxLayout(self)
        layout.setContentsMargins(4, 6, 4, 4)
        layout.setSpacing(2)
        add = tool("plus", "New variant (Ctrl+Shift+N)", self.add)
        every = tool("layout-grid", "All side by side (G)", self.sheet_wanted.emit)
        layout.addWidget(row(label("VARIANTS", "section"), None, every, add, spacing=0, margins=(8, 0, 2, 0)))
        layout.addWidget(self.list, 1)
        session.changed.connect(self._on_change)
        #: What variants had when their pictures were asked for.
        self._pictured: tuple[object, Mapping[str | None, object]] = (None, {})
        self.refresh()

    @property
    def current(self) -> str | None:
        """The variant of the current row."""
        row_index = self.list.currentIndex().row()
        ids = self.model.ids()
        return ids[row_index] if 0 <= row_index < len(ids) else None

    def add(self) -> None:
        """A variant that follows the defaults."""
        self._session.apply("Add variant", lambda s: edit.add_variant(s))

    def derive(self) -> None:
        """A variant that follows the current one."""
        self._session.apply("Derive variant", lambda s: edit.add_variant(s, parent=self.current))

    def duplicate(self) -> None:
        """An equal variant beside the current one."""
        if current := self.current:
            self._session.apply("Duplicate variant", lambda s: edit.duplicate_variant(s, current))

    def reset(self) -> None:
        """Let every value of the current variant follow its parent."""
        if current := self.current:
            self._session.apply("Reset variant", lambda s: edit.reset_variant(s, current))

    def remove(self) -> None:
        """Delete the current variant."""
        if current := self.current:
            self._session.apply("Delete variant", lambda s: edit.remove_variant(s, current))

    def _move(self, offset: int) -> None:
        if current := self.current:
            place = self.model.ids().index(current) - 1 + offset
            self._session.apply("Reorder variants", lambda s: edit.move_variant(s, current, place))

    def _select(self, current: QModelIndex, _before: QModelIndex) -> None:
        ids = self.model.ids()
        if 0 <= current.row() < len(ids) and ids[current.row()] != self._session.state.project.active_variant:
            self._session.apply("Show variant", lambda s: edit.activate(s, ids[current.row()]), "activate")

    def _on_change(self, facets: frozenset[str]) -> None:
        if facets & {VARIANTS, ACTIVE}:
            self.refresh()
        if seen := facets - {ACTIVE, CROWD, DELIVERY, NAME, REVIEW}:
            self._want_pictures(changed_only=seen <= {VALUES, VARIANTS})

    def _want_pictures(self, *, changed_only: bool = False) -> None:
        """Have pictures drawn. changed_only: of variants alone whose values differ, unless the recipe does too."""
        state, (steps, before) = self._session.state, self._pictured
        now = {key: state.values(key) for key in self.model.ids()}
        same = changed_only and steps is state.project.sheets
        self._pictured = state.project.sheets, now
        self.pictures_wanted.emit([key for key, values in now.items() if not same or before.get(key) != values])

    def refresh(self) -> None:
        """Show the variants as they are now."""
        ids = self.model.ids()
        active = self._session.state.project.active_variant
        selection = self.list.selectionModel()
        assert selection is not None
        selection.blockSignals(True)
        self.model.refresh()
        index = self.model.index(ids.index(active) if active in ids else 0)
        self.list.setCurrentIndex(index)
        selection.blockSignals(False)
        self.list.scrollTo(index)

    def move_on(self, offset: int) -> None:
        """Make another variant of the list the current one."""
        place = min(max(self.list.currentIndex().row() + offset, 0), self.model.rowCount() - 1)
        self.list.setCurrentIndex(self.model.index(place))

    def set_picture(self, variant_id: str | None, image: QImage) -> None:
        """Show a variant's picture."""
        self.model.pictures[variant_id] = image
        self.list.viewport().update()  # type: ignore[union-attr]
