import itertools
import math
import unittest

import numpy as np

from calm_needle.core.physics.heard import beat, hear
from calm_needle.core.physics.listening import Listener
from calm_needle.core.physics.sine_fit import Recording
from calm_needle.sim.instruments.hands import Hands
from calm_needle.sim.receiver.loudspeaker import HARMONICS, Loudspeaker
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from tests.support import dossiers

RATE_HZ, BLOCK = 48_000.0, 4_800
FULL_V = 4.0


class Heard:
    """A Halvern that is fed at its first grid, its loudspeaker, and a clock that goes with the sound."""

    def __init__(self, *faults: str, misalign: str = "none", level_v: float = 1e-4) -> None:
        self.now_s = 0.0
        self.set = PracticeReceiver(
            dossiers.model("halvern-6b"),
            seed=3,
            misalign=misalign,
            faults=faults,
            clock=lambda: self.now_s,  # type: ignore[arg-type]
        )
        self.set.wander(share=1e-4, memory_s=1.0)
        self.set.lead, self.set.feed = "V1-g1", Input(468e3, level_v, 0.3)
        self.loudspeaker = Loudspeaker(self.set, seed=3)

    def listen(self, seconds: float) -> np.ndarray:
        """So many seconds of sound, volts."""
        return np.concatenate([self.block() for _ in range(round(seconds * RATE_HZ / BLOCK))])

    def block(self) -> np.ndarray:
        self.now_s += BLOCK / RATE_HZ
        return self.loudspeaker.sound(samples=BLOCK, rate_hz=RATE_HZ)


def recording(volts: np.ndarray) -> Recording:
    return Recording(RATE_HZ, volts / FULL_V)


class TheLoudspeaker(unittest.TestCase):
    def test_what_is_heard_has_the_level_that_the_meter_reads_at_any_strength_and_misalignment(self) -> None:
        for misalign, level_v in itertools.product(("none", "severe"), (1e-5, 1e-4, 1e-2)):
            set_ = Heard(misalign=misalign, level_v=level_v)
            heard = set_.listen(2.0)[BLOCK:]
            audio = set_.set.audio()
            off_db = 20.0 * math.log10(float(np.std(heard)) / math.hypot(audio.tone_v, audio.noise_v))
            self.assertLess(abs(off_db), 0.2, (misalign, level_v))

    def test_tone_and_hiss_each_are_as_strong_as_the_set_makes_them(self) -> None:
        set_ = Heard(level_v=1e-5)
        found, audio = hear(recording=recording(set_.listen(3.0)), tone_hz=400.0), set_.set.audio()
        self.assertAlmostEqual(found.tone_dbfs, 20.0 * math.log10(audio.tone_v * math.sqrt(2.0) / FULL_V), delta=0.1)
        self.assertAlmostEqual(found.hiss_dbfs, 20.0 * math.log10(audio.noise_v * math.sqrt(2.0) / FULL_V), delta=0.3)

    def test_it_distorts_a_little_and_by_no_more(self) -> None:
        found = hear(recording=recording(Heard(level_v=1e-2).listen(2.0)), tone_hz=400.0)
        self.assertAlmostEqual(found.distortion_percent, 100.0 * math.hypot(*HARMONICS.values()), delta=0.1)

    def test_it_hums_and_more_where_the_smoothing_has_dried_out_and_not_from_a_battery(self) -> None:
        def hum_db(set_: Heard) -> float:
            return hear(recording=recording(set_.listen(3.0)), tone_hz=400.0).hum_twice_dbfs

        sound, dried = Heard(level_v=1e-3), Heard(level_v=1e-3)
        dried.set.parts.fit("C30b", 3.2e-7)
        self.assertAlmostEqual(hum_db(sound), 20.0 * math.log10(sound.loudspeaker.hum_v() * math.sqrt(2.0) / FULL_V), delta=1.0)
        self.assertAlmostEqual(hum_db(dried) - hum_db(sound), 40.0, delta=4.0)
        scout = PracticeReceiver(dossiers.model("pellow-scout"), seed=1, misalign="none", clock=lambda: 0.0)
        self.assertEqual(Loudspeaker(scout, seed=1).hum_v(), 0.0)

    def test_blocks_join_without_a_jump_also_where_the_level_changes(self) -> None:
        set_ = Heard(level_v=1e-3)
        before = set_.block()
        set_.set.feed = Input(468e3, 1e-4, 0.3)
        heard = np.concatenate([before, set_.block(), set_.block()])
        steepest = 2.0 * math.pi * 400.0 / RATE_HZ * float(np.abs(heard).max())
        self.assertLess(float(np.abs(np.diff(heard)).max()), 2.0 * steepest)

    def test_a_contact_that_lets_go_is_heard_and_seen_at_the_same_moment(self) -> None:
        set_ = Heard("bad-contact", level_v=1e-3)
        heard, seen = [], []
        for _ in range(600):
            heard.append(float(np.std(set_.block()[-480:])))
            seen.append(set_.set.reading(dt_s=BLOCK / RATE_HZ))
        low = [h < 0.8 * max(heard) for h in heard]
        self.assertIn(True, low)
        self.assertGreater(sum(a == (b < 0.8 * max(seen)) for a, b in zip(low, seen, strict=True)), 585)

    def test_whoever_reads_besides_does_not_make_a_drift_go_faster(self) -> None:
        drifts = []
        for listens in (True, False):
            set_ = Heard("gain-drifts", level_v=1e-4)
            for _ in range(300):
                if listens:
                    set_.block()
                last = set_.set.reading(dt_s=0.1)
            drifts.append(20.0 * math.log10(last))
        self.assertAlmostEqual(drifts[0], drifts[1], delta=0.05)

    def test_a_beat_has_the_pitch_that_the_beat_oscillator_gives_it(self) -> None:
        set_ = PracticeReceiver(dossiers.model("corvane-r-40"), seed=3, misalign="none", clock=lambda: 0.0)
        set_.wander(share=1e-4, memory_s=1.0)
        point = next(s.set_up.goes_in for g in set_.model.groups for s in g.steps if s.kind == "peak")
        set_.lead, set_.feed = point, Input(set_.model.if_hz + 700.0, 1e-3, 0.0)
        set_.stand(switches={"detector": "product"})
        heard = Loudspeaker(set_, seed=1).sound(samples=2 * int(RATE_HZ), rate_hz=RATE_HZ)
        found = beat(recording=recording(heard))
        self.assertAlmostEqual(found.pitch_hz, set_.audio().tone_hz, delta=0.1)

    def test_a_second_carrier_at_the_detector_whistles(self) -> None:
        set_ = Heard(level_v=1e-3)
        chain = set_.set.chain
        waves = chain.waves_at(len(chain.stages), set_.set._wave(), set_.set.now(), entry=chain.mixer)
        strongest = max(waves, key=lambda w: w.v)
        whistles = chain._detector(set_.set.now()).whistles([strongest, strongest.times(0.1)._replace(f_hz=strongest.f_hz + 1500.0)])
        self.assertEqual([round(f) for f, _ in whistles], [1500])
        self.assertAlmostEqual(whistles[0][1] / strongest.v, 0.1 * 0.85, delta=0.02)

    def test_a_set_that_is_off_is_silent_but_for_nothing(self) -> None:
        set_ = Heard(level_v=0.0)
        if set_.set.supply:
            set_.set.supply.was_on = True
            set_.set.supply.power(0.0)
        listener = Listener(rate_hz=RATE_HZ)
        listener.take(set_.listen(0.5) / FULL_V)
        self.assertLess(float(np.std(set_.block())), 1e-3)


class OverTheWire(unittest.TestCase):
    def setUp(self) -> None:
        self.hands = Hands(Heard().set, keep=lambda: None)

    def test_a_block_of_volts_comes_four_bytes_a_sample(self) -> None:
        answer = self.hands.answer("SOUN? 480,48000") or ""
        self.assertEqual(answer[:6], "#41920")
        volts = np.frombuffer(answer[6:].encode("latin-1"), dtype="<f4")
        self.assertEqual(len(volts), 480)
        self.assertGreater(float(np.std(volts)), 0.01)

    def test_what_cannot_be_is_refused(self) -> None:
        for asked in ("SOUN?", "SOUN? 480", "SOUN? much,48000", "SOUN? 0,48000", "SOUN? 1E9,48000", "SOUN? 480,100"):
            self.assertIsNone(self.hands.answer(asked), asked)
            self.assertNotIn("No error", str(self.hands.answer("SYST:ERR?")), asked)
