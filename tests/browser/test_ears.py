"""The ears in a real browser, a made file as its microphone: what was mixed is shown; a refusal and a lost input have their words."""

import math
import re
import tempfile
import unittest
import wave
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect

from calm_needle.core.dossier.model import Watched
from calm_needle.core.physics.heard import hear
from calm_needle.core.physics.sine_fit import Recording
from tests.browser.test_every_page import violations
from tests.support.browser import ARGUMENTS, CHROMIUM, WAIT_MS, LiveServer, shared_browser

RATE = 44_100  # what the browser's own stand-in of an input runs at
OUTPUT = Watched("audio volts", "V", "at the output")


def made(folder: Path, *, tone: float, tone_hz: float = 401.0, noise: float = 0.0, second: float = 0.0) -> tuple[Path, Recording]:
    """A file of ten seconds that begins again without a jump, and what is in it."""
    t = np.arange(10 * RATE) / RATE
    x = tone * np.sin(2.0 * math.pi * tone_hz * t) + second * np.sin(4.0 * math.pi * tone_hz * t)
    x = x + noise * np.random.default_rng(3).standard_normal(len(t))
    path = folder / "input.wav"
    with wave.open(str(path), "wb") as out:
        out.setnchannels(1)
        out.setsampwidth(2)
        out.setframerate(RATE)
        out.writeframes((x * 32767.0).astype("<i2").tobytes())
    return path, Recording(float(RATE), x)


@contextmanager
def page_that_hears(server: LiveServer, file: Path | None) -> Iterator[Page]:
    """A page of a browser of its own, whose input is a file; None: a browser in which the input is refused."""
    heard = [f"--use-file-for-fake-audio-capture={file}", "--use-fake-ui-for-media-stream"] if file else ["--deny-permission-prompts"]
    browser = shared_browser().browser_type.launch(
        executable_path=CHROMIUM, args=[*ARGUMENTS, "--use-fake-device-for-media-stream", *heard]
    )
    try:
        page = browser.new_page(base_url=server.url, viewport={"width": 1280, "height": 800})
        page.set_default_timeout(WAIT_MS)
        page.goto("/ears")
        yield page
    finally:
        browser.close()


class Listening(unittest.TestCase):
    def setUp(self) -> None:
        self.server = LiveServer(times=1.0)
        self.addCleanup(self.server.close)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def figure(self, page: Page, name: str) -> float:
        at = page.locator(f"[data-figure={name}]")
        expect(at).to_have_text(re.compile(r"\d"))
        found = re.search(r"[−-]?\d+(\.\d+)?", at.inner_text())
        assert found
        return float(found[0].replace("−", "-"))

    def test_what_was_mixed_is_heard_and_leads_the_bench(self) -> None:
        file, recording = made(self.folder, tone=0.2, noise=0.2 / math.sqrt(2.0) / 10.0, second=0.01)
        with page_that_hears(self.server, file) as page:
            self.assertEqual(violations(page), [])
            page.get_by_role("button", name="Listen").click()
            expect(page.get_by_role("status")).to_have_text("Listening.")
            self.assertAlmostEqual(self.figure(page, "level"), 20.0 * math.log10(0.2), delta=0.3)
            self.assertAlmostEqual(self.figure(page, "tone"), 401.0, delta=1.0)
            self.assertAlmostEqual(self.figure(page, "beat"), 401.0, delta=0.5)
            truth = hear(recording=Recording(recording.rate_hz, recording.samples[:RATE]), tone_hz=400.0)
            self.assertAlmostEqual(self.figure(page, "sinad"), truth.sinad_db, delta=1.0)
            self.assertAlmostEqual(self.figure(page, "distortion"), truth.distortion_percent, delta=1.0)
            self.assertEqual(violations(page), [])

            ears = self.server.workshop.equipment.ears
            self.assertAlmostEqual(ears.decibels(), 20.0 * math.log10(0.2), delta=0.3)
            ears.compare(1.5)
            self.assertAlmostEqual(ears.volts(), 1.5, delta=0.1)
            page.get_by_role("button", name="Stop listening").click()
            expect(page.get_by_role("status")).to_have_text("Not listening.")

    def test_the_voltmeter_s_reading_is_kept_for_that_input_and_it_goes_on_listening(self) -> None:
        file, _ = made(self.folder, tone=0.2)
        with page_that_hears(self.server, file) as page:
            page.get_by_role("button", name="Listen").click()
            expect(page.get_by_role("status")).to_have_text("Listening.")
            page.get_by_label("Voltmeter shows").fill("nothing")
            page.get_by_role("button", name="Keep it").click()
            expect(page.get_by_label("Voltmeter shows")).to_have_attribute("aria-invalid", "true")
            expect(page.get_by_role("status")).to_have_text("Listening.")
            page.get_by_label("Voltmeter shows").fill("0.5")
            page.get_by_role("button", name="Keep it").click()
            expect(page.get_by_role("region", name="Volts")).to_contain_text("at full scale")
            expect(page.get_by_role("status")).to_have_text("Listening.")
            self.assertAlmostEqual(self.figure(page, "volts"), 500.0, delta=20.0)
            page.get_by_role("button", name="Be led by ear").click()
            expect(page.get_by_role("region", name="At the bench")).to_contain_text("The ears are the meter at the output")
            expect(page.get_by_role("status")).to_have_text("Listening.")
            read = self.server.workshop.equipment.read(OUTPUT)
            assert read
            self.assertEqual((read.instrument, read.quantity.unit), ("ears", "V"))
            self.assertAlmostEqual(read.quantity.value, 0.5, delta=0.02)

    def test_a_refusal_has_its_words_and_the_way_on(self) -> None:
        with page_that_hears(self.server, None) as page:
            page.get_by_role("button", name="Listen").click()
            expect(page.get_by_role("status")).to_contain_text("Allow the microphone for this address")
            self.assertEqual(violations(page), [])

    def test_an_input_that_goes_away_is_said_and_the_bench_reads_nothing_old(self) -> None:
        file, _ = made(self.folder, tone=0.2)
        with page_that_hears(self.server, file) as page:
            page.add_init_script(
                "const ask = MediaDevices.prototype.getUserMedia;"
                "MediaDevices.prototype.getUserMedia = async function (c) { return (window.heard = await ask.call(this, c)); };"
            )
            page.reload()
            page.get_by_role("button", name="Listen").click()
            expect(page.get_by_role("status")).to_have_text("Listening.")
            page.evaluate("() => window.heard.getAudioTracks()[0].dispatchEvent(new Event('ended'))")
            expect(page.get_by_role("status")).to_contain_text("The input is gone")
        equipment = self.server.workshop.equipment
        equipment.listen(True)
        equipment.ears._clock = lambda: float("inf")  # a second later
        self.assertEqual([type(f).__name__ for f in self.refused(lambda: equipment.read(OUTPUT))], ["EarsClosed"])

    @staticmethod
    def refused(do: object) -> list[Exception]:
        try:
            do()  # type: ignore[operator]
        except Exception as fault:
            return [fault]
        return []


if __name__ == "__main__":
    unittest.main()
