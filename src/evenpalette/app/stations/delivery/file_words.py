"""How a file of a layout is written, as a sentence each of whose words is a choice."""

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QToolButton, QWidget

from evenpalette.app.plain import plain
from evenpalette.core.document.layout_model import LayoutFile

#: What a file can be set to, by the word of the sentence: (words, settings) each.
_CHOICES: dict[str, list[tuple[str, dict[str, Any]]]] = {
    "format": [(name.upper() if name != "exr" else "OpenEXR", {"format": name}) for name in ("png", "tga", "tiff", "exr", "dds", "ktx2")],
    "bits": [(f"{bits} bits", {"bits": bits}) for bits in (8, 16, 32)],
    "compression": [
        ("no blocks", {"compression": "none"}),
        *((f"BC{kind.upper()}", {"compression": f"bc{kind}"}) for kind in ("1", "3", "4", "5", "6h", "7")),
    ],
    "mips": [("one level", {"mips": False}), ("all mip levels", {"mips": True})],
    "size": [
        ("as the sources", {"size": None}), ("half as large", {"size": 0.5}), ("a quarter", {"size": 0.25}),
        *((f"{side} texels", {"size": side}) for side in (256, 512, 1024, 2048, 4096)),
    ],
    "per": [
        ("for each variant", {"per": "variant"}), ("once for all", {"per": "once"}), ("for each sheet", {"per": "sheet"}),
        ("for each region", {"per": "region"}), ("for each division", {"per": "division"}),
    ],
    "padding": [("islands as painted", {"padding": "none"}), *((f"{n} texels beyond islands", {"padding": n}) for n in (2, 4, 8, 16, 64))],
}  # fmt: skip
_SET_TIPS = {
    "format": "Format of the file", "bits": "Depth of a channel", "compression": "Block compression, for DDS and KTX2", "mips": "Mip levels in the file",
    "size": "Longest side of the file", "per": "When a file is written", "padding": "What lies around the islands",
}  # fmt: skip


class FileWords(QWidget):
    """`chosen` has the settings that were chosen, by their names."""

    chosen = pyqtSignal(dict)

    def __init__(self) -> None:
        super().__init__()
        self._words = {key: self._word(key) for key in _CHOICES}
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        for word in self._words.values():
            layout.addWidget(word)
        layout.addStretch(1)

    def _word(self, key: str) -> QToolButton:
        made = QToolButton()
        made.setObjectName("word")
        made.setToolTip(plain(_SET_TIPS[key]))
        made.setAccessibleName(_SET_TIPS[key])
        made.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        menu = QMenu(made)
        for words, parts in _CHOICES[key]:
            action = menu.addAction(words)
            assert action is not None
            action.triggered.connect(lambda _=False, parts=parts: self.chosen.emit(parts))
        made.setMenu(menu)
        return made

    def show_file(self, file: LayoutFile) -> None:
        """Say how a file is written; what its format does not have is not spoken of."""
        for key, word in self._words.items():
            now = getattr(file, key)
            word.setText(next((words for words, parts in _CHOICES[key] if parts[key] == now), str(now)))
            word.setVisible(key not in ("compression", "mips") or file.format in ("dds", "ktx2"))
