"""A browser that is not ours, without a window: Debian's chromium, WebGL 2 drawn by software, driven by selenium."""

import base64
import os
import shutil
from pathlib import Path
from typing import Any

import numpy as np
import pytest

CHROMIUM, DRIVER = shutil.which("chromium"), shutil.which("chromedriver")


class Browser:
    """One page after the other, as somebody opens them from disk."""

    def __init__(self, drawn_by: str = "swiftshader") -> None:
        """drawn_by: *swiftshader*, which it brings along, or *gl*, Mesa's driver, which compiles a page in half the
        time; it wants a display."""
        if CHROMIUM is None or DRIVER is None:
            pytest.skip("chromium and chromium-driver are not installed")
        from selenium import webdriver
        from selenium.webdriver.chrome.options import Options
        from selenium.webdriver.chrome.service import Service

        options = Options()
        options.binary_location = CHROMIUM
        for word in (
            "--headless=new", "--no-sandbox", f"--use-angle={drawn_by if os.environ.get('DISPLAY') else 'swiftshader'}", "--enable-unsafe-swiftshader", "--ignore-gpu-blocklist",
            "--window-size=1280,887", "--hide-scrollbars", "--disable-dev-shm-usage", "--disable-background-networking",
        ):  # fmt: skip
            options.add_argument(word)
        options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
        self.driver = webdriver.Chrome(options=options, service=Service(DRIVER))
        self.driver.set_script_timeout(120)

    def open(self, page: Path) -> str:
        """Open a page; 'ok' when it is ready, else what went wrong."""
        self.driver.get(page.resolve().as_uri())
        return str(self.ask("await window.evenPalette.ready; return 'ok'"))

    def ask(self, body: str, *given: object) -> Any:
        """What an asynchronous function of this body returns; an error as text."""
        return self.driver.execute_async_script(
            f"const done = arguments[arguments.length - 1]; (async (...given) => {{ {body} }})(...arguments)"
            ".then(done, error => done(String(error && error.message || error)))", *given,
        )  # fmt: skip

    def pixels(self, wanted: dict[str, object]) -> np.ndarray:
        """What the page says its pixels are, uint8 (height, width, 4)."""
        text = self.ask(
            "const p = await window.evenPalette.pixels(given[0]); let s = '';"
            "for (let i = 0; i < p.length; i += 32768) s += String.fromCharCode(...p.subarray(i, i + 32768)); return btoa(s)",
            wanted,
        )  # fmt: skip
        made = np.frombuffer(base64.b64decode(text), np.uint8)
        return made.reshape(int(str(wanted["height"])), int(str(wanted["width"])), 4)

    def said(self) -> list[str]:
        """What the console was told since this was asked last."""
        return [f"{entry['level']}: {entry['message']}" for entry in self.driver.get_log("browser")]

    def picture(self) -> np.ndarray:
        """What is seen, uint8 (height, width, 3)."""
        from evenpalette.core.raster.image_read import decode_image

        return decode_image(self.driver.get_screenshot_as_png(), "page")[..., :3]

    def close(self) -> None:
        self.driver.quit()
