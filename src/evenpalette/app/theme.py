"""The looks: one font, one type scale, one grid, neutral grays, one accent."""

from functools import cache
from importlib.resources import files

from PyQt6.QtCore import QByteArray, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QApplication, QComboBox, QWidget

FAMILY = "Source Sans 3"
#: Type scale in pixels: notes, text, headings.
NOTE, TEXT, HEADING = 12, 13, 16

CHROME = "#e9e9e9"
SURFACE = "#f7f7f7"
RAISED = "#ffffff"
LINE = "#c6c6c6"
MUTED = "#5e5e5e"
INK = "#1b1b1b"
SURROUND = "#777777"
ACCENT = "#17605c"
ACCENT_SOFT = "#dbe7e6"
WARN = "#8a5a00"
#: Words on the views, and what the strip under them makes of the surround, on which no color is told apart well enough.
ON_VIEW, VIEW_STRIP = "#ffffff", "#595959"
#: What is written on what: each pair is at least 4.5 to 1 apart (WCAG 2.2, 1.4.3).
WORDS_ON = (
    (INK, CHROME), (INK, SURFACE), (INK, RAISED), (INK, ACCENT_SOFT), (MUTED, CHROME), (MUTED, SURFACE), (MUTED, RAISED),
    (WARN, CHROME), (WARN, SURFACE), (ACCENT, CHROME), (ACCENT, SURFACE), (ACCENT, RAISED), (RAISED, ACCENT), (ON_VIEW, VIEW_STRIP),
)  # fmt: skip


def install(app: QApplication) -> None:
    """Load the shipped font and dress the application."""
    for file in (files("evenpalette.core") / "fonts").iterdir():
        if file.name.endswith(".woff"):
            QFontDatabase.addApplicationFontFromData(QByteArray(file.read_bytes()))
    app.setStyle("Fusion")
    app.setFont(font(TEXT))
    palette = QPalette()
    for role, color in (
        (QPalette.ColorRole.Window, CHROME), (QPalette.ColorRole.Base, RAISED), (QPalette.ColorRole.Button, SURFACE),
        (QPalette.ColorRole.WindowText, INK), (QPalette.ColorRole.Text, INK), (QPalette.ColorRole.ButtonText, INK),
        (QPalette.ColorRole.Highlight, ACCENT), (QPalette.ColorRole.HighlightedText, "#ffffff"),
        (QPalette.ColorRole.PlaceholderText, MUTED), (QPalette.ColorRole.ToolTipBase, RAISED),
        (QPalette.ColorRole.ToolTipText, INK), (QPalette.ColorRole.AlternateBase, SURFACE),
        (QPalette.ColorRole.Accent, ACCENT),
    ):  # fmt: skip
        palette.setColor(role, QColor(color))
    for role in (QPalette.ColorRole.WindowText, QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor("#9a9a9a"))
    app.setPalette(palette)
    app.setStyleSheet(STYLE)


def font(pixels: int, *, strong: bool = False) -> QFont:
    """The application's font at a step of the type scale, with digits of one width."""
    made = QFont(FAMILY)
    made.setPixelSize(pixels)
    made.setWeight(QFont.Weight.DemiBold if strong else QFont.Weight.Normal)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def restyle(widget: QWidget, style: str) -> None:
    """A widget in a style that its menus and tips do not take. What has it already is not laid out anew."""
    known = widget.metaObject()
    assert known is not None
    own = f"{known.className()} {{ {style} }}" if style else ""
    if widget.styleSheet() != own:
        widget.setStyleSheet(own)


def light_on_view(box: QComboBox) -> None:
    """Words as light as a view is dark, and a list like any other: a style sheet's color would be that of both."""
    palette, view = QPalette(QApplication.palette()), box.view()
    if view is not None:
        view.setPalette(palette)
    for role in (QPalette.ColorRole.WindowText, QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText):
        palette.setColor(role, QColor(ON_VIEW))
    box.setPalette(palette)


@cache
def icon(name: str, color: str = INK, on: str = ACCENT) -> QIcon:
    """A shipped icon in a color; paler when disabled, in another color when on."""
    made = QIcon()
    for size in (18, 36):
        drawn = _drawn(name, size)
        for mode, state, tone in (
            (QIcon.Mode.Normal, QIcon.State.Off, color),
            (QIcon.Mode.Disabled, QIcon.State.Off, "#a8a8a8"),
            (QIcon.Mode.Normal, QIcon.State.On, on),
        ):
            made.addPixmap(_toned(drawn, tone), mode, state)
    return made


@cache
def _drawn(name: str, size: int) -> QPixmap:
    """An icon in black."""
    content = ((_ICONS / f"{name}.svg").read_text("utf-8")).replace("currentColor", "#000000")
    pixmap = QPixmap(QSize(size, size))
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    QSvgRenderer(QByteArray(content.encode())).render(painter, QRectF(0, 0, size, size))
    painter.end()
    return pixmap


def _toned(drawn: QPixmap, color: str) -> QPixmap:
    """What was drawn, in a color."""
    toned = QPixmap(drawn)
    painter = QPainter(toned)
    painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceIn)
    painter.fillRect(toned.rect(), QColor(color))
    painter.end()
    return toned


_ICONS = files("evenpalette.app") / "resources" / "icons"
_DOWN, _DOWN_LIGHT, _UP = (
    str(_ICONS / name).replace("\\", "/") for name in ("chevron-down.svg", "chevron-down-light.svg", "chevron-up.svg")
)

STYLE = f"""
QToolTip {{ border: 1px solid {LINE}; padding: 4px 6px; background: {RAISED}; color: {INK}; }}
QWidget#chrome {{ background: {CHROME}; }}
QWidget#bench {{ background: {CHROME}; border-top: 1px solid {LINE}; }}
QWidget#walk {{ background: {ACCENT_SOFT}; border-top: 1px solid {LINE}; }}
QFrame#card {{ background: {SURFACE}; border: 1px solid {LINE}; border-radius: 6px; }}
QFrame#card[selected="true"] {{ background: {RAISED}; border: 1px solid {ACCENT}; }}
QLabel#heading {{ font-size: {HEADING}px; }}
QLabel#note, QLabel#section {{ font-size: {NOTE}px; color: {MUTED}; }}
QLabel#warn {{ font-size: {NOTE}px; color: {WARN}; }}
QWidget#viewheader, QLabel#onviewhint {{ background: rgba(64, 64, 64, 140); }}
QLabel#onviewhint {{ color: {ON_VIEW}; border-radius: 6px; padding: 6px 12px; }}
QLabel#onview, QToolButton#onview {{ color: {ON_VIEW}; background: transparent; border: none; }}
QComboBox#onview {{ background: transparent; border: none; }}
QSpinBox#onview {{ color: {ON_VIEW}; background: transparent; border: 1px solid rgba(255, 255, 255, 70); border-radius: 4px; padding: 1px 4px; }}
QSlider#onview::groove:horizontal {{ height: 3px; background: rgba(255, 255, 255, 90); border-radius: 1px; }}
QSlider#onview::handle:horizontal {{ width: 12px; margin: -5px 0; border-radius: 6px; background: {ON_VIEW}; }}
QComboBox#onview::drop-down {{ border: none; width: 18px; }}
QComboBox#onview {{ padding: 2px 6px; border-radius: 4px; }}
QComboBox#onview:hover, QToolButton#onview:hover {{ background: rgba(0, 0, 0, 45); }}
QComboBox#onview:focus, QToolButton#onview:focus {{ border: 1px solid {ON_VIEW}; }}
QToolButton#onview {{ padding: 3px; border-radius: 4px; }}
QToolButton#onview:checked {{ background: rgba(0, 0, 0, 85); }}
QPushButton {{ background: {SURFACE}; border: 1px solid {LINE}; border-radius: 5px; padding: 4px 12px; min-height: 20px; }}
QPushButton:hover {{ background: {RAISED}; border-color: #9d9d9d; }}
QPushButton:pressed {{ background: #dedede; }}
QPushButton:focus {{ border-color: {ACCENT}; }}
QPushButton:disabled {{ color: #9a9a9a; border-color: #d6d6d6; }}
QPushButton#primary {{ background: {ACCENT}; color: white; border-color: {ACCENT}; }}
QPushButton#primary:hover {{ background: #1d7470; }}
QPushButton#primary:disabled {{ background: #b9c5c4; border-color: #b9c5c4; }}
QPushButton#page {{ background: transparent; border: 1px solid transparent; color: {MUTED}; padding: 2px 10px; }}
QPushButton#page:hover {{ color: {INK}; }}
QPushButton#page:checked {{ color: {INK}; background: {RAISED}; border-color: {LINE}; }}
QPushButton#page:focus {{ border-color: {ACCENT}; }}
QPushButton#link {{ background: transparent; border: none; color: {ACCENT}; padding: 2px 4px; text-align: left; }}
QPushButton#link:hover {{ text-decoration: underline; }}
QPushButton#link:focus {{ border: 1px solid {ACCENT}; border-radius: 4px; }}
QPushButton#link:disabled {{ color: #9a9a9a; }}
QPushButton#link::menu-indicator {{ image: none; }}
QToolButton {{ border: 1px solid transparent; border-radius: 5px; padding: 3px; background: transparent; }}
QToolButton:hover {{ background: {RAISED}; border-color: {LINE}; }}
QToolButton:checked {{ background: {ACCENT_SOFT}; }}
QToolButton:focus {{ border-color: {ACCENT}; }}
QToolButton::menu-indicator {{ image: none; }}
QToolButton#word {{ color: {ACCENT}; padding: 2px 5px; }}
QLineEdit, QComboBox, QSpinBox {{ background: {RAISED}; border: 1px solid {LINE}; border-radius: 4px; padding: 2px 6px; min-height: 20px;
  selection-background-color: {ACCENT}; }}
QLineEdit:focus, QComboBox:focus, QSpinBox:focus {{ border-color: {ACCENT}; }}
QLineEdit[bad="true"] {{ border-color: #a33; background: #fbeeee; }}
QTableWidget QComboBox {{ margin: 5px 2px; min-height: 18px; }}
QComboBox::drop-down {{ border: none; width: 18px; }}
QComboBox::down-arrow {{ image: url({_DOWN}); width: 12px; height: 12px; }}
QSpinBox::up-button, QSpinBox::down-button {{ border: none; width: 18px; background: transparent; }}
QSpinBox::up-arrow {{ image: url({_UP}); width: 10px; height: 10px; }}
QSpinBox::down-arrow {{ image: url({_DOWN}); width: 10px; height: 10px; }}
QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
QComboBox#onview::down-arrow {{ image: url({_DOWN_LIGHT}); width: 12px; height: 12px; }}
QListView, QTableView, QPlainTextEdit, QTreeView {{ background: {SURFACE}; border: 1px solid {LINE}; border-radius: 5px; outline: none; }}
QListView#pictures {{ background: {VIEW_STRIP}; border: none; border-radius: 0; color: {ON_VIEW}; }}
QListView#pictures::item {{ border: 2px solid transparent; border-radius: 4px; padding: 2px; color: {ON_VIEW}; }}
QListView#pictures::item:hover {{ border: 2px solid #8c8c8c; background: transparent; }}
QListView#pictures::item:selected {{ border: 2px solid {ON_VIEW}; background: transparent; color: {ON_VIEW}; }}
QListView#bare {{ background: transparent; border: none; }}
QTableView {{ gridline-color: #e2e2e2; selection-background-color: {ACCENT_SOFT}; selection-color: {INK}; }}
QHeaderView::section {{ background: {CHROME}; border: none; border-bottom: 1px solid {LINE}; padding: 3px 8px; font-size: {NOTE}px; color: {MUTED}; }}
QTableCornerButton::section {{ background: {CHROME}; border: none; }}
QMenu {{ background: {RAISED}; border: 1px solid {LINE}; padding: 4px; }}
QMenu::item {{ padding: 5px 24px 5px 12px; border-radius: 4px; }}
QMenu::item:selected {{ background: {ACCENT_SOFT}; color: {INK}; }}
QMenu::item:disabled {{ color: #9a9a9a; }}
QMenu::separator {{ height: 1px; background: #dddddd; margin: 4px 8px; }}
QScrollArea {{ border: none; background: transparent; }}
QScrollBar:horizontal {{ height: 10px; background: transparent; }}
QScrollBar:vertical {{ width: 10px; background: transparent; }}
QScrollBar::handle {{ background: #bdbdbd; border-radius: 4px; min-width: 24px; min-height: 24px; margin: 1px; }}
QScrollBar::handle:hover {{ background: #9d9d9d; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QProgressBar {{ border: 1px solid {LINE}; border-radius: 4px; background: {SURFACE}; height: 12px; text-align: center; font-size: 10px; }}
QProgressBar::chunk {{ background: {ACCENT}; border-radius: 3px; }}
"""


def contrast_ink(color: str) -> str:
    """Black or white, whichever reads better on a color."""
    c = QColor(color)
    return "#000000" if 0.299 * c.red() + 0.587 * c.green() + 0.114 * c.blue() > 140 else "#ffffff"
