"""The ears on made recordings: how near tone, SINAD, beat and distortion come at the rates that inputs have, and what listening costs.

And a strip that is aligned by the sound of the practice set alone, and how old a sample is when the needle shows it.
"""

import itertools
import math
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from datetime import UTC, datetime
from importlib import resources
from pathlib import Path

import numpy as np
from playwright.sync_api import Page

from calm_needle.bench.ears import Ears, Source
from calm_needle.clock import seconds
from calm_needle.core.physics.heard import beat, hear
from calm_needle.core.physics.listening import LEVEL_S, Listener
from calm_needle.core.physics.sine_fit import Recording
from calm_needle.sim.receiver.loudspeaker import Loudspeaker
from calm_needle.sim.receiver.practice import PracticeReceiver
from calm_needle.store import db, shelf
from calm_needle.work.bench.rehearsal import MadeUpClock, rehearse
from calm_needle.work.bench.run_book import RunBook, begin_run
from calm_needle.work.jobs import shelf as shelf_work
from tests.browser.pages.bench_page import BenchPage
from tests.browser.pages.ears_page import listen_to_the_practice_set
from tests.browser.test_ears import made, page_that_hears
from tests.support.browser import LiveServer, close_shared_browser, new_page

RATES_HZ = (8e3, 16e3, 22.05e3, 44.1e3, 48e3, 96e3)
TONES_HZ = (300.0, 400.0, 700.0, 1000.0)
SINADS_DB = (6.0, 12.0, 20.0, 30.0, 40.0)
SEEDS = range(8)
REHEARSED, FULL_V = range(1, 21), 4.0
TONE, BLOCK_S, LISTENED_S = 0.2, 0.05, 20.0


def run() -> list[str]:
    """Return one line a figure."""
    return [_level(), _sinad(), _beat(), _distortion(), _cost(), _rehearsed(), sample_to_needle()]


def _sound(rate_hz: float, seconds: float, *, seed: int, noise: float, **tones: float) -> np.ndarray:
    """Sines (hz_400=0.2: amplitude 0.2 at 400 Hz) in hiss (r.m.s.)."""
    t = np.arange(round(rate_hz * seconds)) / rate_hz
    x = noise * np.random.default_rng(seed).normal(size=len(t))
    for name, amplitude in tones.items():
        x = x + amplitude * np.sin(2.0 * math.pi * float(name[3:].replace("_", ".")) * t + seed)
    return x


def _level() -> str:
    off = []
    for rate, tone, seed, snr in itertools.product(RATES_HZ, TONES_HZ, SEEDS, (20.0, 30.0)):
        listener = Listener(rate_hz=rate, tone_hz=0.97 * tone)
        noise = TONE / math.sqrt(2.0) / 10.0 ** (snr / 20.0)
        for block in np.array_split(_sound(rate, 0.5, seed=seed, noise=noise, **{f"hz_{tone}".replace(".", "_"): TONE, "hz_50": 0.01}), 10):
            listener.take(block)
        off.append(abs(listener.level().tone_dbfs - 20.0 * math.log10(TONE)))
    within = sum(o <= 0.05 for o in off)
    return f"tone at 20 and 30 dB (S+N)/N, rates 8 to 96 kHz: within 0.05 dB {within} of {len(off)}, worst {max(off):.3f} dB (≤ 0.05)"


def _sinad() -> str:
    off = []
    for rate, wanted, seed in itertools.product(RATES_HZ, SINADS_DB, SEEDS):
        rest = TONE / math.sqrt(2.0) / math.sqrt(10.0 ** (wanted / 10.0) - 1.0)
        found = hear(recording=Recording(rate, _sound(rate, 2.0, seed=seed, noise=rest, hz_400_3=TONE)), tone_hz=400.0)
        off.append(abs(found.sinad_db - wanted))
    return f"SINAD from 6 to 40 dB: worst {max(off):.2f} dB of {len(off)} (≤ 0.3)"


def _beat() -> str:
    off, beyond = [], 0
    for rate, pitch, seed in itertools.product(RATES_HZ, (37.3, 212.6, 1204.1), SEEDS):
        noise = TONE / math.sqrt(2.0) / 10.0
        sound = _sound(rate, 2.0, seed=seed, noise=noise, **{f"hz_{pitch}".replace(".", "_"): TONE})
        found = beat(recording=Recording(rate, sound))
        off.append(abs(found.pitch_hz - pitch))
        beyond += off[-1] > found.sure_hz
    return f"a beat in 2 s at 20 dB: worst {max(off):.3f} Hz of {len(off)} (≤ 0.1), beyond its stated uncertainty {beyond}"


def _distortion() -> str:
    off = []
    for rate, percent, seed in itertools.product(RATES_HZ, (0.5, 2.0, 8.0), SEEDS):
        more = {"hz_800_6": TONE * percent / 100.0 * 0.8, "hz_1200_9": TONE * percent / 100.0 * 0.6}
        found = hear(recording=Recording(rate, _sound(rate, 1.0, seed=seed, noise=1e-3, hz_400_3=TONE, **more)), tone_hz=400.0)
        off.append(abs(found.distortion_percent - percent))
    return f"distortion from 0.5 to 8 %: worst {max(off):.2f} points of {len(off)} (≤ 0.2)"


def _cost() -> str:
    rate = 48e3
    now = [0.0]
    ears, source, count = Ears(clock=lambda: now[0]), Source("line", rate), 0
    sound = (32767.0 * _sound(rate, LISTENED_S, seed=1, noise=0.01, hz_400_3=TONE)).astype("<i2")
    waited = []
    began = time.process_time()
    for block in np.array_split(sound, round(LISTENED_S / BLOCK_S)):
        at = time.perf_counter()
        ears.take(block.tobytes(), source=source, number=count)
        waited.append(time.perf_counter() - at)
        count += len(block)
        now[0] += BLOCK_S
    spent = time.process_time() - began
    waited.sort()
    return (
        f"listening at 48 kHz: {100.0 * spent / LISTENED_S:.1f} % of one processor (≤ 10), "
        f"a block judged in {1e3 * waited[len(waited) // 2]:.1f} ms, p95 {1e3 * waited[int(0.95 * len(waited))]:.1f} ms"
    )


class _Heard:
    """Ears as the meter of a rehearsal: the loudspeaker's sound, fifty milliseconds a reading."""

    def __init__(self, receiver: PracticeReceiver) -> None:
        self._loudspeaker, self._receiver = Loudspeaker(receiver, seed=receiver.seed), receiver
        self.reset()

    def reset(self) -> None:
        self._listener = Listener(rate_hz=16e3, tone_hz=400.0)

    def volts(self) -> float:
        while True:
            self._listener.take(self._loudspeaker.sound(samples=800, rate_hz=16e3) / FULL_V)
            if self._listener.seconds >= LEVEL_S:
                return FULL_V / math.sqrt(2.0) * 10.0 ** (self._listener.level().tone_dbfs / 20.0)


def rehearsed(seed: int) -> tuple[float, float, int]:
    """A Halvern's strip by ear, nobody counting turns: Hz off the IF, dB left, findings but that of the wax."""
    clock = MadeUpClock(datetime(2026, 11, 24, 10, 0, tzinfo=UTC))
    content = resources.files("calm_needle.demo").joinpath("dossiers/halvern-6b.json").read_bytes()
    conn = db.connect(db.IN_MEMORY)
    model = shelf_work.take_in_dossier(conn, content, name="halvern-6b.json")
    row = shelf.model_by_key(conn, model.key)
    assert row
    set_id = shelf.add_set(conn, model_id=row.id, serial="1", owner="", remarks="", at_utc=clock())
    job_id = shelf.add_job(conn, set_id=set_id, complaint="weak", bench="instruments", at_utc=clock())
    run_id = begin_run(conn, job_id=job_id, phase="intermediate frequency", bench="instruments", at_utc=clock())
    receiver = PracticeReceiver(model, seed=seed, misalign="moderate", clock=lambda: seconds(clock()))
    receiver.wander(share=0.012, memory_s=0.4)
    book = RunBook(conn, run_id, clock=clock)
    rehearse(book, receiver, clock, seed=seed, turns_known=False, meter=_Heard(receiver))
    truth = receiver.truth()
    others = sum("Wax" not in f.sentence for f in book.findings())
    return abs(truth.peak_hz - model.if_hz), truth.loss_db - truth.best_loss_db, others


def _rehearsed() -> str:
    with ProcessPoolExecutor(2) as workers:
        runs = list(workers.map(rehearsed, REHEARSED))
    near, left = sum(off <= 200.0 for off, _, _ in runs), sum(db_left <= 0.3 for _, db_left, _ in runs)
    others = sum(bool(n) for _, _, n in runs)
    return (
        f"{len(runs)} strips by ear on the twin's sound, turns unknown: centre within 200 Hz {near} ({near / len(runs):.0%}, wanted 95 %), "
        f"gain left <= 0.3 dB {left} ({left / len(runs):.0%}, wanted 98 %), other findings {others}"
    )


TAPPED = """
(() => {
  const shown = [], born = [];
  window.ages = shown;
  const Node = window.AudioWorkletNode;
  window.AudioWorkletNode = class extends Node {
    constructor(context, name, options) {
      super(context, name, options);
      if (name === 'ears-tap') this.port.addEventListener('message', () => born.push(performance.now()));
    }
  };
  const ask = window.fetch;
  window.fetch = async (...all) => {
    const mine = String(all[0]).includes('/samples') ? born.splice(0) : [];
    const answer = await ask(...all);
    const json = answer.json.bind(answer);
    answer.json = async () => {
      const told = await json();
      setTimeout(() => mine.forEach((at) => shown.push(performance.now() - at)), 0);
      return told;
    };
    return answer;
  };
})();
"""


def sample_to_needle() -> str:
    """Blocks of a made microphone's sound, from when their first sample was heard to when the pointer stands for it; the bench at rest, and
    the same of the practice set's loudspeaker while the bench reads."""
    with tempfile.TemporaryDirectory() as folder:
        live = LiveServer(times=1.0)
        try:
            file, _ = made(Path(folder), tone=0.2)
            with page_that_hears(live, file) as ears:
                ears.add_init_script(TAPPED)
                ears.reload()
                ears.get_by_role("button", name="Listen").click()
                alone = _ages(ears)
            page = new_page(live.url, errors=[])
            BenchPage.at_first_core(page)
            beside = page.context.new_page()
            beside.add_init_script(TAPPED)
            listen_to_the_practice_set(beside)
            together = _ages(beside)
        finally:
            live.close()
            close_shared_browser()
    words = "oldest sample of a block to the pointer, a microphone"
    return f"{words}: {_spread(alone)} (<= 150); the practice set while the bench reads: {_spread(together)}"


def _ages(page: Page) -> list[float]:
    page.wait_for_function("() => window.ages.length >= 400", timeout=60_000)
    return sorted(1000.0 * BLOCK_S + float(a) for a in page.evaluate("() => window.ages"))


def _spread(ages: list[float]) -> str:
    return f"median {ages[len(ages) // 2]:.0f} ms, p95 {ages[int(0.95 * len(ages))]:.0f} ms of {len(ages)} blocks"
