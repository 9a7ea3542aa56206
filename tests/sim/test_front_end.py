import copy
import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.dossier.read import read_model
from calm_needle.core.physics.superhet import image_ratio_db
from calm_needle.sim.receiver.band_tank import BandTank
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from calm_needle.sim.receiver.stages.band_tanks import BandTanks
from tests.support import dossiers
from tests.support.properties import steady

MODELS = ("halvern-6b", "dunlin-3", "stannard-seven")


def warm(key: str, *, seed: int = 3, misalign: str = "none", faults: tuple[str, ...] = ()) -> PracticeReceiver:
    """A practice set at its aerial socket, on for ten minutes."""
    clock = [0.0]
    set_ = PracticeReceiver(dossiers.model(key), seed=seed, misalign=misalign, faults=faults, clock=lambda: clock[0])  # type: ignore[arg-type]
    assert set_.supply
    set_.supply.power(1.0)
    clock[0] = 600.0
    set_.lead = "aerial-socket"
    return set_


def mixer_input(set_: PracticeReceiver) -> str:
    return set_.chain.stages[set_.chain.mixer].points[0]


def gain_db(set_: PracticeReceiver, f_hz: float) -> float:
    set_.feed = Input(f_hz, 1e-6, 0.3)
    return 20.0 * math.log10(set_.free_v() / 1e-6)


class Tanks(unittest.TestCase):
    @steady
    @given(st.floats(10e-12, 500e-12), st.floats(1e-6, 1e-3), st.floats(10e-12, 200e-12), st.floats(200e-12, 5e-9))
    def test_gang_and_frequency_lead_back_to_each_other(self, gang_f: float, l_h: float, trim_f: float, padder_f: float) -> None:
        for padder in ({"padder_f": padder_f}, {}):
            tank = BandTank({"l_h": l_h, "trim_f": trim_f, **padder}, {})
            self.assertAlmostEqual(tank.gang_for(tank.frequency_hz(gang_f)) / gang_f, 1.0, places=6)


class Aligned(unittest.TestCase):
    def test_the_pointer_on_a_mark_receives_that_mark_and_the_aerial_circuit_follows(self) -> None:
        for key in MODELS:
            set_ = warm(key)
            for name, band in set_.dial.bands.items():
                set_.dial.select(name)
                gains = []
                for mark in band.marks:
                    set_.dial.point(mark.dial_hz)
                    oscillator_hz = set_.oscillator_hz()
                    assert oscillator_hz is not None
                    self.assertAlmostEqual(oscillator_hz - mark.dial_hz, band.if_hz, delta=1.0)
                    gains.append(gain_db(set_, mark.dial_hz))
                self.assertLess(max(gains) - min(gains), 8.0, f"{key} {name}")

    def test_each_meets_its_dossier_s_sensitivity_all_over_the_band(self) -> None:
        for key in ("halvern-6b", "dunlin-3"):
            set_ = warm(key)
            most_v = next(s["most_v"] for s in dossiers.model(key).specifications if s["id"] == "sensitivity-mw")
            set_.dial.select("MW")
            for dial_hz in (600e3, 950e3, 1400e3):
                set_.dial.point(dial_hz)
                set_.feed = Input(dial_hz, most_v, 0.3)
                self.assertGreater(set_.audio().tone_v, math.sqrt(0.05 * 3.0), f"{key} {dial_hz:g}")

    def test_the_image_is_received_as_far_down_as_the_circuits_make_it(self) -> None:
        for key, name in (("halvern-6b", "SW"), ("dunlin-3", "MW"), ("stannard-seven", "BC")):
            set_ = warm(key)
            band, circuit = set_.dial.bands[name], next(s for s in set_.chain.stages if isinstance(s, BandTanks))
            set_.dial.select(name)
            dial_hz = band.tracking[1]["dial_hz"]
            set_.dial.point(dial_hz)
            down = gain_db(set_, dial_hz) - gain_db(set_, dial_hz + 2.0 * band.if_hz)
            asked = {"f_hz": dial_hz, "if_hz": band.if_hz, "q": circuit.setting(name, "q"), "circuits": circuit.setting(name, "circuits")}
            self.assertAlmostEqual(down, image_ratio_db(**asked, side="above"), delta=0.6)


class LeftBySomebody(unittest.TestCase):
    def test_tuned_by_ear_it_is_heard_as_well_as_it_can_be_there(self) -> None:
        for seed in range(4):
            set_ = warm("halvern-6b", seed=seed, misalign="severe")
            set_.feed = Input(950e3, 1e-6, 0.3)
            set_.dial.select("MW")
            set_.dial.point(950e3)
            before = set_.free_v()
            pointer = set_.dial.tune_in(950e3, loudness=set_.free_v)
            self.assertGreaterEqual(set_.free_v(), before)
            best = set_.free_v()
            for way in (-1e3, 1e3):
                set_.dial.point(pointer + way)
                self.assertLess(set_.free_v(), best)

    def test_the_same_seed_is_the_same_set_and_it_is_kept(self) -> None:
        one, other = (warm("halvern-6b", seed=9, misalign="moderate") for _ in range(2))
        self.assertEqual(one.state(), other.state())
        one.dial.select("SW")
        one.dial.point(9.1e6)
        one.turn("T4", 0.2)
        other.restore(one.state())
        self.assertEqual((other.dial.band, other.dial.dial_hz), ("SW", 9.1e6))
        self.assertEqual(one.state(), other.state())


class Rails(unittest.TestCase):
    """What a set does with a signal follows from what stands at its valves."""

    def sensitive(self, key: str, *, faults: tuple[str, ...] = (), on_s: float = 600.0) -> float:
        """Decibels from the aerial to the detector on medium wave, so many seconds after it was switched on."""
        set_ = warm(key, faults=faults)
        assert set_.supply
        set_.supply.power(0.0)
        set_.clock.let_pass(3600.0)
        set_.supply.power(1.0)
        set_.clock.let_pass(on_s)
        set_.dial.point(950e3)
        return gain_db(set_, 950e3)

    def test_it_comes_up_with_its_heaters_and_a_sound_one_then_stands(self) -> None:
        cold, warming, stands, still = (self.sensitive("dunlin-3", on_s=s) for s in (12.0, 20.0, 120.0, 1200.0))
        self.assertLess(cold, warming - 1.0)
        self.assertLess(warming, stands)
        self.assertAlmostEqual(stands, still, delta=0.1)

    def test_a_rail_that_sags_takes_the_signal_with_it(self) -> None:
        first, later = (self.sensitive("dunlin-3", faults=("smoothing-leaks-warm",), on_s=s) for s in (120.0, 1200.0))
        self.assertLess(later, first - 0.3)

    def test_a_screen_feed_gone_high_and_a_tired_valve_cost_gain(self) -> None:
        sound = self.sensitive("dunlin-3")
        self.assertLess(self.sensitive("dunlin-3", faults=("screen-feed-drifted",)), sound - 0.5)
        tired = warm("dunlin-3")
        tired.dial.point(950e3)
        before = gain_db(tired, 950e3)
        tired.parts.fit("V2-e", 40.0)
        tired.clock.let_pass(1.0)
        self.assertLess(gain_db(tired, 950e3), before - 1.0)

    def test_an_anode_without_volts_passes_nothing(self) -> None:
        silent = warm("stannard-seven", faults=("if-winding-open",))
        silent.dial.point(920e3)
        silent.feed = Input(920e3, 10e-3, 0.3)
        self.assertLess(silent.audio().tone_v, 1e-6)

    def test_a_circuit_that_makes_no_sense_takes_no_set_down(self) -> None:
        data = copy.deepcopy(dict(dossiers.model("dunlin-3").raw))
        for valve in data["simulation"]["supply"]["valves"]:
            valve["k"] = 1e9
        set_ = PracticeReceiver(read_model(data), seed=1)
        assert set_.supply
        set_.supply.power(1.0)
        set_.lead, set_.feed = mixer_input(set_), Input(set_.model.if_hz, 1e-4, 0.3)
        self.assertGreater(set_.audio().tone_v, 0.0)

    def test_a_set_as_drawn_has_the_gain_it_is_drawn_for(self) -> None:
        for key in MODELS:
            granted, on = PracticeReceiver(dossiers.model(key), seed=1, misalign="none"), warm(key)
            for set_ in (granted, on):
                set_.lead, set_.feed = mixer_input(set_), Input(dossiers.model(key).if_hz, 1e-6, 0.3)
            self.assertAlmostEqual(20.0 * math.log10(on.free_v() / granted.free_v()), 0.0, delta=1.2)


class SwitchedOff(unittest.TestCase):
    def test_the_whole_set_is_silent_or_none_of_it(self) -> None:
        for key in MODELS:
            never, off = PracticeReceiver(dossiers.model(key), seed=1, misalign="none"), warm(key)
            assert off.supply
            off.supply.power(0.0)
            for point in (mixer_input(never), "aerial-socket"):
                for set_, heard in ((never, True), (off, False)):
                    set_.dial.point(set_.dial.bands[set_.dial.band].f_low_hz * 1.2)
                    f = dossiers.model(key).if_hz if point != "aerial-socket" else set_.dial.dial_hz
                    set_.lead, set_.feed = point, Input(f, 1e-3, 0.3)
                    self.assertEqual(set_.audio().tone_v > 0.0, heard, (key, point))
                    if not heard:
                        self.assertEqual(set_.audio().noise_v, 0.0)

    def test_in_silence_the_pointer_stays(self) -> None:
        off = warm("halvern-6b")
        assert off.supply
        off.supply.power(0.0)
        off.lead, off.feed = "aerial-socket", Input(1e6, 1e-3, 0.3)
        off.dial.select("MW")
        off.dial.point(0.9e6)
        self.assertEqual(off.dial.tune_in(1.4e6, loudness=off.free_v), off.dial.dial_hz)
        self.assertEqual(off.dial.dial_hz, 0.9e6)


class Faults(unittest.TestCase):
    def test_an_open_aerial_coil_leaves_its_band_alive_and_deaf_and_the_others_as_they_were(self) -> None:
        sound, deaf = warm("halvern-6b"), warm("halvern-6b", faults=("aerial-coil-open",))
        lost = {}
        for name, dial_hz in (("LW", 205e3), ("MW", 950e3)):
            for set_ in (sound, deaf):
                set_.dial.select(name)
                set_.dial.point(dial_hz)
            lost[name] = gain_db(sound, dial_hz) - gain_db(deaf, dial_hz)
        self.assertAlmostEqual(lost["LW"], 40.0, delta=0.5)
        self.assertAlmostEqual(lost["MW"], 0.0, delta=0.01)

    def test_without_its_coil_or_its_heaters_the_oscillator_does_not_run(self) -> None:
        dead = warm("halvern-6b", faults=("oscillator-coil-open",))
        self.assertIsNotNone(dead.oscillator_hz())
        dead.dial.select("MW")
        self.assertIsNone(dead.oscillator_hz())
        cold = warm("dunlin-3")
        assert cold.supply
        cold.supply.power(0.0)
        cold.clock.let_pass(300.0)
        cold.dial.point(950e3)
        cold.feed = Input(950e3, 1e-3, 0.3)
        self.assertLess(cold.free_v(), 1e-6)

    def test_a_dossier_without_tanks_has_no_bands_and_no_signal_comes_of_it(self) -> None:
        data = copy.deepcopy(dict(dossiers.model("dunlin-3").raw))
        for band in data["bands"]:
            del band["oscillator_tank"], band["signal_tank"]
        bare = PracticeReceiver(read_model(data), seed=1, misalign="none")
        bare.lead, bare.feed = "aerial-socket", Input(950e3, 1e-3, 0.3)
        self.assertEqual((bare.dial.bands, bare.oscillator_hz()), ({}, None))
        self.assertEqual(bare.audio().tone_v, 0.0)
