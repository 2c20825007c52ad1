"""The guide, beside the work: a page for each station, one for the first walk, with pictures; all on this disk."""

from importlib.resources import files
from pathlib import Path

from PyQt6.QtCore import QSize, Qt, QUrl, QVariant
from PyQt6.QtGui import (
    QImage,
    QTextBlockFormat,
    QTextCursor,
    QTextDocument,
    QTextFormat,
)
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QListWidgetItem, QTextBrowser, QWidget

from evenpalette.app import theme
from evenpalette.app.stations import STATIONS

#: The pages that belong to no station: before these, and behind them.
_FIRST = (("walk", "First walk"),)
_LAST = (("collection", "Many assets"), ("views", "Views and keys"), ("verbs", "Without a window"))
#: Logical pixels around the text, the most that a picture is wide, and between paragraphs.
_MARGIN, _WIDEST, _SPACE = 22, 720, 8
#: QTextBlockFormat.LineHeightTypes.ProportionalHeight, as the number that Qt wants.
_PROPORTIONAL = 1


def pages() -> list[tuple[str, str]]:
    """The names of the pages' files, without the ending, and their titles, in order."""
    return [*_FIRST, *((place.key, place.title) for place in STATIONS), *_LAST]


def page_text(page: str) -> str:
    """A page as Markdown."""
    return (folder() / f"{page}.md").read_text("utf-8")


def folder() -> Path:
    """Where the pages lie."""
    return Path(str(files("evenpalette.app") / "resources" / "guide"))


class GuidePage(QTextBrowser):
    """Shows a page. Nothing is fetched: links go to other pages, pictures come from the guide's folder."""

    def __init__(self) -> None:
        super().__init__()
        self.setOpenLinks(False)
        self.setAccessibleName("Page of the guide")
        document = self.document()
        assert document is not None
        document.setDocumentMargin(_MARGIN)

    def show_page(self, page: str) -> None:
        """Show the page of this name from its beginning."""
        self.setMarkdown(page_text(page))
        self._space()
        bar = self.verticalScrollBar()
        assert bar is not None
        bar.setValue(0)

    def _space(self) -> None:
        """Give paragraphs and headings the sizes and the room that the window has."""
        document = self.document()
        assert document is not None
        block = document.begin()
        while block.isValid():
            cursor, level = QTextCursor(block), block.blockFormat().headingLevel()
            layout = QTextBlockFormat()
            in_table, in_list = cursor.currentTable() is not None, cursor.currentList() is not None
            layout.setTopMargin(_SPACE * (2.5 if level > 1 else 0))
            is_code = block.blockFormat().hasProperty(QTextFormat.Property.BlockCodeFence)
            layout.setBottomMargin(0 if in_table or is_code else _SPACE / 3 if in_list else _SPACE)
            if not in_table:
                layout.setLineHeight(118, _PROPORTIONAL)
            cursor.mergeBlockFormat(layout)
            if level:
                cursor.select(QTextCursor.SelectionType.BlockUnderCursor)
                letters = cursor.charFormat()
                letters.clearProperty(QTextFormat.Property.FontSizeAdjustment)
                letters.setProperty(QTextFormat.Property.FontPixelSize, theme.HEADING + (4 if level == 1 else 0))
                cursor.setCharFormat(letters)
            block = block.next()

    def loadResource(self, kind: int, name: QUrl) -> QVariant:
        """A picture of the guide, no wider than the page; nothing else."""
        path = folder() / "pictures" / Path(name.path()).name
        if kind != QTextDocument.ResourceType.ImageResource.value or not path.is_file():
            return QVariant()
        image = QImage(str(path))
        ratio = self.devicePixelRatioF()
        image = image.scaledToWidth(
            min(image.width(), round(_WIDEST * ratio)), Qt.TransformationMode.SmoothTransformation
        )
        image.setDevicePixelRatio(ratio)
        return QVariant(image)


class Guide(QDialog):
    """The pages in a list, the chosen one beside it. It stands beside the window, which can be worked in meanwhile."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Guide")
        self.list, self.page = QListWidget(), GuidePage()
        self.list.setAccessibleName("Pages of the guide")
        self.list.setFixedWidth(150)
        self.list.setSpacing(3)
        for key, title in pages():
            item = QListWidgetItem(title)
            item.setData(Qt.ItemDataRole.UserRole, key)
            self.list.addItem(item)
        self.list.currentItemChanged.connect(lambda item, _: self._show(item))
        self.page.anchorClicked.connect(lambda url: self.open_page(Path(url.path()).stem))
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addWidget(self.list)
        layout.addWidget(self.page, 1)

    def sizeHint(self) -> QSize:
        return QSize(960, 720)

    def open_page(self, page: str) -> None:
        """Show a page of the guide; a name that is none is left alone."""
        for number in range(self.list.count()):
            item = self.list.item(number)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) == page:
                self.list.setCurrentRow(number)

    def _show(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.page.show_page(str(item.data(Qt.ItemDataRole.UserRole)))
