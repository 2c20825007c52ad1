"""Opens the demo as a user does, begins something, closes the window while it runs, and prints what was asked.

python closing.py MOMENT MILLISECONDS FOLDER
"""

import json
import sys
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QMessageBox

from evenpalette.app import main
from evenpalette.app.window import MainWindow
from evenpalette.core.edits.asset import rename_project
from evenpalette.core.edits.bakes import add_bake
from evenpalette.core.edits.recipe import add_step

moment, pause, folder = sys.argv[1], int(sys.argv[2]), Path(sys.argv[3])
ANSWERS = {
    "Still at work": {"deliver": "Stop it and close"}.get(moment, "Close when it is done"),
    "Unsaved changes": "Discard",
}
asked: list[str] = []


def answer() -> None:
    box = QApplication.activeModalWidget()
    if isinstance(box, QMessageBox):
        asked.append(box.windowTitle())
        next(b for b in box.buttons() if b.text().replace("&", "") == ANSWERS[asked[-1]]).click()


def begin(window: MainWindow) -> None:
    session = window.session
    if not (session.state.region_ids and session.is_calm):
        QTimer.singleShot(50, lambda: begin(window))
        return
    if moment.startswith("deliver"):
        bench = window.bench("delivery")
        bench.folder.setText(str(folder / "out"))
        bench.deliver()
    elif moment == "autosave":
        session.apply("Rename", lambda s: rename_project(s, "Changed"))
        session.keeping.autosave()
    elif moment == "compile":
        window.bench("recipe")
        session.apply("Add", lambda s: add_step(s, "grade", None))
    elif moment == "bake":
        session.apply("Bake", lambda s: add_bake(s, "occlusion", {"rays": 4096.0})[0])
    QTimer.singleShot(pause, window.close)


class Watched(MainWindow):
    """The window, with a hand that answers its questions."""

    def __init__(self) -> None:
        super().__init__()
        timer = QTimer(self, interval=40)
        timer.timeout.connect(answer)
        timer.start()
        QTimer.singleShot(100, lambda: begin(self))


main.MainWindow = Watched  # type: ignore[misc]
code = main.run(demo=True, into=folder / "market")
print(json.dumps(asked))
sys.exit(code)
