"""Small pieces that every bench uses."""

from collections.abc import Callable, Iterable
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from evenpalette.app import theme
from evenpalette.app.plain import plain


def counted(count: int, word: str, plural: str = "") -> str:
    """'1 step', '2 steps'."""
    return f"{count:,} {word if count == 1 else plural or word + 's'}"


def label(text: str = "", name: str = "", parent: QWidget | None = None) -> QLabel:
    """A text; name is one of the styles heading, section, note, warn."""
    made = QLabel(text, parent)
    made.setObjectName(name)
    made.setTextFormat(Qt.TextFormat.PlainText)
    return made


def button(text: str, action: Callable[[], object], name: str = "", tip: str = "", icon: str = "") -> QPushButton:
    """A push button; name is one of the styles primary, link."""
    made = QPushButton(text)
    made.setObjectName(name)
    made.setToolTip(plain(tip))
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    if icon:
        made.setIcon(theme.icon(icon, "#ffffff" if name == "primary" else theme.INK))
        made.setIconSize(QSize(16, 16))
    made.clicked.connect(lambda _checked=False: action())
    return made


def tool(icon: str, tip: str, action: Callable[[], object] | None = None, *, checkable: bool = False) -> QToolButton:
    """An icon button; the tip is also its name for accessibility."""
    made = QToolButton()
    made.setIcon(theme.icon(icon))
    made.setIconSize(QSize(16, 16))
    made.setFixedSize(26, 26)
    made.setToolTip(plain(tip))
    made.setAccessibleName(tip)
    made.setCheckable(checkable)
    made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    if action is not None:
        made.clicked.connect(lambda _checked=False: action())
    return made


def choice(
    name: str = "", rows: Iterable[tuple[str, Any] | tuple[str, Any, str]] = (), *, now: Any = None, tip: str = "",
    taken: Callable[[Any], object] | None = None,
) -> QComboBox:  # fmt: skip
    """A box to choose from. name: what it is called for accessibility. rows: words, what they stand for, and what is
    said of it under the pointer. now: what is chosen, where it is among them. taken: is given what the artist
    chooses."""
    made = QComboBox()
    made.setAccessibleName(name)
    made.setToolTip(plain(tip))
    for words, value, *said in rows:
        made.addItem(words, value)
        if said:
            made.setItemData(made.count() - 1, plain(said[0]), Qt.ItemDataRole.ToolTipRole)
    if now is not None:
        made.setCurrentIndex(max(0, made.findData(now)))
    if taken is not None:
        made.activated.connect(lambda place: taken(made.itemData(place)))
    return made


def row(*widgets: QWidget | int | None, spacing: int = 8, margins: tuple[int, int, int, int] = (0, 0, 0, 0)) -> QWidget:
    """Widgets side by side; None stretches, a number is a gap."""
    holder = QWidget()
    layout = QHBoxLayout(holder)
    _fill(layout, widgets, spacing, margins)
    return holder


def column(
    *widgets: QWidget | int | None, spacing: int = 6, margins: tuple[int, int, int, int] = (0, 0, 0, 0)
) -> QWidget:
    """Widgets one below the other; None stretches, a number is a gap."""
    holder = QWidget()
    layout = QVBoxLayout(holder)
    _fill(layout, widgets, spacing, margins)
    return holder


def _fill(layout: QHBoxLayout | QVBoxLayout, widgets, spacing: int, margins) -> None:  # type: ignore[no-untyped-def]
    layout.setContentsMargins(*margins)
    layout.setSpacing(spacing)
    for widget in widgets:
        if widget is None:
            layout.addStretch(1)
        elif isinstance(widget, int):
            layout.addSpacing(widget)
        else:
            layout.addWidget(widget)


def scrolled(widget: QWidget) -> QScrollArea:
    """A widget that may be taller than its place: it is scrolled there, and nothing of it is cut."""
    area = QScrollArea()
    area.setWidget(widget)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setObjectName("bare")
    area.setAccessibleName(widget.accessibleName())
    if isinstance(widget, QLabel):
        widget.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
    return area


def card() -> QFrame:
    """A raised surface."""
    frame = QFrame()
    frame.setObjectName("card")
    frame.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Expanding)
    return frame


def ok_or_cancel(dialog: QDialog) -> QDialogButtonBox:
    """The two buttons that end a dialog."""
    made = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
    made.accepted.connect(dialog.accept)
    made.rejected.connect(dialog.reject)
    return made


def list_actions(view: QAbstractItemView, actions: list[tuple[str, str, Callable[[], object]]]) -> list[QAction]:
    """Things to do to the rows of a list, (text, keys, function) each, with shortcuts that hold while it has the
    focus."""
    made = []
    for text, keys, run in actions:
        action = QAction(text, view)
        action.setShortcut(keys)
        action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        action.triggered.connect(lambda _checked=False, f=run: f())
        view.addAction(action)
        made.append(action)
    return made


def items_of(view: QListWidget) -> list[QListWidgetItem]:
    """The lines of a list."""
    return [item for place in range(view.count()) if (item := view.item(place)) is not None]


def clear(layout) -> None:  # type: ignore[no-untyped-def]
    """Take everything out of a layout. What is taken out may be what was clicked: it goes when its signal has come
    back."""
    while layout.count():
        item = layout.takeAt(0)
        if (widget := item.widget()) is not None:
            widget.hide()
            widget.setParent(None)
            # Without a parent it would belong to Python, which deletes it as soon as nobody holds it.
            sip.transferto(widget, None)  # type: ignore[arg-type]
            widget.deleteLater()


def captions(grid: QGridLayout, lines: Iterable[tuple[str, QWidget]], column: int = 0) -> None:
    """A word and a widget in each line of a grid, from the first line on."""
    for line, (text, widget) in enumerate(lines):
        grid.addWidget(caption(text, widget), line, column)
        grid.addWidget(widget, line, column + 1)


def caption(text: str, widget: QWidget) -> QLabel:
    """The word beside a widget, which is called by it where it has no name of its own: a line of several gives it to
    the first that can be worked."""
    made = label(text, "note")
    inner = [
        child
        for child in widget.children()
        if isinstance(child, QWidget) and child.focusPolicy() != Qt.FocusPolicy.NoFocus
    ]
    target = (
        widget
        if widget.focusPolicy() != Qt.FocusPolicy.NoFocus or widget.focusProxy() is not None or not inner
        else inner[0]
    )
    if text and not target.accessibleName():
        target.setAccessibleName(text)
    made.setBuddy(target)
    return made
