"""A live server and a real browser for tests and pictures."""

import os
import shutil
import tempfile
import threading
import unittest
from pathlib import Path
from typing import ClassVar

from playwright.sync_api import Browser, Page, Playwright, expect, sync_playwright
from waitress import wasyncore
from waitress.server import create_server

from calm_needle.work.workshop import Workshop
from tests.support.app import app_over
from tests.support.demo import copy_into
from tests.support.hasty_clock import HastyClock
from tests.support.workshops import workshop_in

CHROMIUM = os.environ.get("CHROMIUM") or next(
    (p for p in ("/usr/bin/chromium-headless-shell", "/usr/bin/chromium", shutil.which("google-chrome") or "") if p and Path(p).exists()),
    "",
)
ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--force-color-profile=srgb",
    "--hide-scrollbars",
]
WAIT_MS = 120_000  # it only stops a hang: these machines pause, and no test measures time
expect.set_options(timeout=WAIT_MS)


class LiveServer:
    """The application on a free port of its own, over a workshop in a folder of its own."""

    def __init__(self, *, demo: bool = True, times: float = 3.0, inside: bool = True) -> None:
        """times: how many times as fast its time goes as the browser's. inside: the stand-ins in this process, or as in the product, in
        one of their own and on the real clock."""
        self._folder = tempfile.TemporaryDirectory()
        if demo:
            copy_into(Path(self._folder.name))
        folder = Path(self._folder.name)
        self.workshop = workshop_in(folder, clock=HastyClock(times)) if inside else Workshop(folder)
        self._map: dict[int, object] = {}
        self._stop = threading.Event()
        self._server = create_server(app_over(self.workshop), map=self._map, host="127.0.0.1", port=0, threads=16)
        self.url = f"http://127.0.0.1:{self._server.effective_port}"
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._thread.start()

    def _serve(self) -> None:
        # Waitress's own loop cannot be ended from another thread.
        while not self._stop.is_set():
            wasyncore.loop(timeout=0.05, map=self._map, count=1)
        wasyncore.close_all(self._map, ignore_all=True)

    def close(self) -> None:
        self.workshop.close()  # open streams end with it
        self._stop.set()
        self._thread.join(5)
        self._server.task_dispatcher.shutdown(timeout=2)
        self._folder.cleanup()


class _Shared:
    """One browser for all tests of a process."""

    playwright: Playwright | None = None
    browser: Browser | None = None


def shared_browser() -> Browser:
    """Return the browser, started when first asked for. Fails, and says what to install, when there is none."""
    if _Shared.browser is None:
        if not CHROMIUM:
            raise AssertionError("No Chromium was found. Install Debian’s chromium-headless-shell, or set CHROMIUM to its path.")
        _Shared.playwright = sync_playwright().start()
        _Shared.browser = _Shared.playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
    return _Shared.browser


def close_shared_browser() -> None:
    if _Shared.browser is not None and _Shared.playwright is not None:
        _Shared.browser.close()
        _Shared.playwright.stop()
        _Shared.browser = _Shared.playwright = None


unittest.addModuleCleanup(close_shared_browser)


def new_page(url: str, *, errors: list[str], **options: object) -> Page:
    """Return a page in a context of its own, 1280 x 800; console errors and failed requests go to `errors`."""
    context = shared_browser().new_context(viewport={"width": 1280, "height": 800}, base_url=url, **options)  # type: ignore[arg-type]
    context.set_default_timeout(WAIT_MS)
    page = context.new_page()
    page.on("console", lambda m: errors.append(f"{m.text} {m.location['url']}") if m.type in ("error", "warning") else None)
    page.on("pageerror", lambda e: errors.append(str(e)))
    return page


class BrowserTest(unittest.TestCase):
    """A test with a live demo server; any console error fails it at its end."""

    demo = True
    inside = True  # whether the stand-in instruments are in this process
    times = 3.0  # as fast as the browser's own: 1 where both have to keep step, as for sound
    # Of the browser's context. A needle that glides takes the processor from the other tests; one class has it glide.
    options: ClassVar[dict[str, object]] = {"reduced_motion": "reduce"}

    def setUp(self) -> None:
        self.live = LiveServer(demo=self.demo, times=self.times, inside=self.inside)
        self.addCleanup(self.live.close)
        self.errors: list[str] = []
        self.page = new_page(self.live.url, errors=self.errors, **self.options)
        self.addCleanup(self.page.context.close)

    def tearDown(self) -> None:
        unexpected = [e for e in self.errors if not any(known in e for known in self.expected_errors())]
        self.assertEqual(unexpected, [], "the browser's console")

    def expected_errors(self) -> tuple[str, ...]:
        """Parts of console messages that this test provokes."""
        return ()
