"""Packing up to four gray or index textures into the channels of one, with what it saves."""

from PyQt6.QtWidgets import QCheckBox, QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from evenpalette.app.session import Session
from evenpalette.app.widgets.basics import label
from evenpalette.core.document.project import Role, Texture
from evenpalette.core.document.state import State
from evenpalette.core.edits.palette import pack_textures, packed_bytes
from evenpalette.core.errors import EvenPaletteError

_MOST = 4


def packable(state: State) -> list[Texture]:
    """The gray and index textures of the asset."""
    return [t for t in state.project.asset.textures if t.role is not Role.STRIP and state.textures[t.id].channels <= 2]


class PackDialog(QDialog):
    """Choose textures; the bytes of every way to deliver them stand below."""

    def __init__(self, session: Session, textures: list[Texture], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.setWindowTitle("Pack textures")
        layout = QVBoxLayout(self)
        layout.addWidget(label("Up to four gray or index textures of one size become the channels of one.", "note"))
        self._boxes: list[tuple[QCheckBox, str]] = []
        for texture in textures:
            box = QCheckBox(
                f"{texture.name}, {texture.role.value}, {session.state.textures[texture.id].width} x {session.state.textures[texture.id].height}"
            )
            box.setChecked(texture.role is Role.INDEX and sum(b.isChecked() for b, _ in self._boxes) < _MOST)
            box.clicked.connect(lambda _: self._count())
            self._boxes.append((box, texture.id))
            layout.addWidget(box)
        self._facts = label("", "")
        self._facts.setAccessibleName("Bytes of every way")
        layout.addWidget(self._facts)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert ok is not None
        ok.setText("Pack")
        self._ok = ok
        self.buttons.accepted.connect(self._pack)
        self.buttons.rejected.connect(self.reject)
        layout.addWidget(self.buttons)
        self._count()

    @property
    def chosen(self) -> list[str]:
        """The ids of the textures that are ticked."""
        return [texture_id for box, texture_id in self._boxes if box.isChecked()]

    def _count(self) -> None:
        chosen = self.chosen
        self._ok.setEnabled(2 <= len(chosen) <= _MOST)
        if not chosen:
            self._facts.setText("Nothing is chosen.")
            return
        found = packed_bytes(self._session.state, chosen)
        blocks = (
            f"{found.packed_blocks:,}" if found.packed_blocks is not None else "not possible: blocks destroy index art"
        )
        self._facts.setText(
            f"Packed, uncompressed\t{found.packed:,} bytes\nPacked, BC7\t\t{blocks}\nOne gray each\t\t{found.apart:,}\n"
            f"{len(chosen)} color textures\t{found.color:,}\n  the same in BC7\t{found.color_bc7:,}\n  the same in BC1\t{found.color_bc1:,}"
        )

    def _pack(self) -> None:
        chosen = self.chosen
        try:
            pack_textures(self._session.state, chosen)
        except EvenPaletteError as error:
            self._facts.setText(str(error))
            return
        self._session.run("Pack textures", lambda s, _: pack_textures(s, chosen))
        self.accept()
