"""How regions of faces are drawn into texels: size, samples, padding."""

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from evenpalette.app.plain import plain
from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import label
from evenpalette.core.edits import face_sets as edit

#: By the key of a setting: what it is called, what it means, its values and their words.
_SETTINGS = {
    "size": (
        "Bake size", "Texels a side that face regions are drawn into",
        [(size, f"{size}") for size in (256, 512, 1024, 2048, 4096, 8192)],
    ),
    "samples": (
        "Bake samples", "How the coverage of a texel is measured",
        [(0, "exact"), (1, "1 sample"), (16, "16 samples"), (64, "64 samples")],
    ),
    "padding_texels": (
        "Bake padding", "How far the nearest region is carried outward over empty texels",
        [(0, "no padding"), (4, "4 texels"), (8, "8 texels"), (16, "16 texels"), (32, "32 texels"), (8192, "full gutter")],
    ),
}  # fmt: skip


class BakeRow(QWidget):
    """One box a setting, in one row."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(label("bake", "note"))
        self._boxes: dict[str, QComboBox] = {}
        for key, (words, tip, values) in _SETTINGS.items():
            box = self._boxes[key] = QComboBox()
            box.setAccessibleName(words)
            box.setToolTip(plain(tip))
            for value, text in values:
                box.addItem(text, value)
            box.activated.connect(lambda i, b=box, k=key: self._set(k, b.itemData(i)))
            layout.addWidget(box)

    def follow(self) -> None:
        """Show the settings as they are."""
        bake = self._session.state.project.regions.bake
        for key, box in self._boxes.items():
            box.setCurrentIndex(box.findData(getattr(bake, key)))

    def _set(self, key: str, value: int) -> None:
        self._session.run("Bake settings", lambda s, _: edit.set_bake(s, **{key: value}))
