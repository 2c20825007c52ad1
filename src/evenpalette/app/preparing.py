"""The computations of a fresh installation, prepared in a process of low priority behind the first start."""

import contextlib
import os
import subprocess
import sys

from PyQt6.QtCore import QObject, QTimer

from evenpalette.app.session import Session
from evenpalette.core.kernels import is_prepared

#: Milliseconds after which the window has come up.
_LATER = 3000
_LOWEST_PRIORITY = 19
SAID = "Computations are being prepared in the background, this once: the first results take a little longer."


class Preparing(QObject):
    """Compiles what an installed package comes without; what the artist asks for meanwhile is compiled at once."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        #: What compiles, None where nothing does.
        self.process: subprocess.Popen[bytes] | None = None
        if not is_prepared():
            QTimer.singleShot(_LATER, self.begin)

    def begin(self) -> None:
        """Start the process, and say so."""
        with contextlib.suppress(OSError):
            self.process = subprocess.Popen(
                [sys.executable, "-m", "evenpalette.core.warmup"],
                stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True,
            )  # fmt: skip
            os.setpriority(os.PRIO_PROCESS, self.process.pid, _LOWEST_PRIORITY)
            self._session.said.emit(SAID, False)

    def end(self) -> None:
        """Leave it: what is compiled so far is kept, the rest comes with the next start."""
        if self.process is not None and self.process.poll() is None:
            with contextlib.suppress(OSError):
                os.killpg(self.process.pid, 15)
            self.process.wait()
