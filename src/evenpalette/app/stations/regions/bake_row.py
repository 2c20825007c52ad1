"""How regions of faces are drawn into texels: size, samples, padding."""

from functools import partial

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import choice, label
from evenpalette.core.edits import face_sets as edit

#: By the key of a setting: what it is called, what it means, words and their values.
_SETTINGS = {
    "size": (
        "Bake size", "Texels a side that face regions are drawn into",
        [(f"{size}", size) for size in (256, 512, 1024, 2048, 4096, 8192)],
    ),
    "samples": (
        "Bake samples", "How the coverage of a texel is measured",
        [("exact", 0), ("1 sample", 1), ("16 samples", 16), ("64 samples", 64)],
    ),
    "padding_texels": (
        "Bake padding", "How far the nearest region is carried outward over empty texels",
        [("no padding", 0), ("4 texels", 4), ("8 texels", 8), ("16 texels", 16), ("32 texels", 32), ("full gutter", 8192)],
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
            self._boxes[key] = choice(words, values, tip=tip, taken=partial(self._set, key))
            layout.addWidget(self._boxes[key])

    def follow(self) -> None:
        """Show the settings as they are."""
        bake = self._session.state.project.regions.bake
        for key, box in self._boxes.items():
            box.setCurrentIndex(box.findData(getattr(bake, key)))

    def _set(self, key: str, value: int) -> None:
        self._session.run("Bake settings", lambda s, _: edit.set_bake(s, **{key: value}))
