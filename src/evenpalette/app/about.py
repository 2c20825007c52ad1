"""What the application is, and under which terms it and its parts are passed on."""

from PyQt6.QtCore import PYQT_VERSION_STR, qVersion
from PyQt6.QtWidgets import QDialog, QPlainTextEdit, QVBoxLayout, QWidget

from evenpalette import __version__
from evenpalette.app.widgets.basics import label
from evenpalette.app.widgets.forms import ending

TERMS = """What you make is yours: projects, textures, variants, and the text of delivered kits.

Even Palette's own code is under the MIT license.

It runs on PyQt6, which is under the GNU General Public License, version 3 (or a commercial license of its makers).
Whoever only uses the application need do nothing. Whoever passes it on together with PyQt6, changed or not, must do so
under the GPL 3: with the source of the whole, and the same rights for whoever gets it. Without PyQt6 (the core and the
command line need none of it) the MIT license is all there is.

Shipped with it: the font Source Sans 3 (SIL Open Font License 1.1), icons of Lucide (ISC License); their texts lie
beside them.

Installed with it, each under its own license: NumPy, SciPy, numba, msgspec, tifffile, imagecodecs and OpenEXR (BSD),
opencv-python-headless, embreex and DracoPy (Apache 2.0), Pillow (MIT-CMU), moderngl, trimesh, pydantic, platformdirs,
etcpak and texture2ddecoder (MIT), tqdm (MPL 2.0 and MIT), anyascii (ISC), fpdf2 (LGPL 3).

Installed where you ask for it: meshoptimizer (MIT), pyoidn (MIT), dask and distributed (BSD), usd-core (Tomorrow Open
Source Technology License 1.0)."""


class AboutDialog(QDialog):
    """Version, terms and licenses."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("About Even Palette")
        self.resize(560, 400)
        text = QPlainTextEdit("\n\n".join(part.replace("\n", " ") for part in TERMS.split("\n\n")))
        text.setReadOnly(True)
        text.setAccessibleName("Terms and licenses")
        layout = QVBoxLayout(self)
        layout.addWidget(label(f"Even Palette {__version__}", "heading"))
        layout.addWidget(label(f"PyQt {PYQT_VERSION_STR}, Qt {qVersion()}", "note"))
        layout.addWidget(text)
        layout.addWidget(ending(self)[0])
