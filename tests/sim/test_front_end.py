import copy
import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.dossier.read import read_model
from calm_needle.core.physics.superhet import image_ratio_db
from calm_needle.sim.receiver.front_end import FrontEnd, Tank
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
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


def gain_db(set_: PracticeReceiver, f_hz: float) -> float:
    set_.feed = Input(f_hz, 1e-6, 0.3)
    return 20.0 * math.log10(set_.free_v() / 1e-6)


class Tanks(unittest.TestCase):
    @steady
    @given(st.floats(10e-12, 500e-12), st.floats(1e-6, 1e-3), st.floats(10e-12, 200e-12), st.floats(200e-12, 5e-9))
    def test_gang_and_frequency_lead_back_to_each_other(self, gang_f: float, l_h: float, trim_f: float, padder_f: float) -> None:
        for tank in (Tank(l_h, trim_f, padder_f, "L"), Tank(l_h, trim_f, None, "L")):
            self.assertAlmostEqual(tank.gang_for(tank.frequency_hz(gang_f)) / gang_f, 1.0, places=6)


class Aligned(unittest.TestCase):
    def test_the_pointer_on_a_mark_receives_that_mark_and_the_aerial_circuit_follows(self) -> None:
        for key in MODELS:
            set_ = warm(key)
            for name, truth in set_.front_end.bands.items():
                set_.front_end.select(name)
                for mark in truth.band.marks:
                    set_.front_end.point(mark.dial_hz)
                    mixed = set_.front_end.mixed(mark.dial_hz)
                    assert mixed is not None
                    self.assertAlmostEqual(mixed.frequency_hz, truth.band.if_hz, delta=1.0)
                    self.assertGreater(mixed.gain / (0.5 * truth.gain), 0.4, f"{key} {mark}")

    def test_each_meets_its_dossier_s_sensitivity_all_over_the_band(self) -> None:
        for key in ("halvern-6b", "dunlin-3"):
            set_ = warm(key)
            most_v = next(s["most_v"] for s in dossiers.model(key).specifications if s["id"] == "sensitivity-mw")
            set_.front_end.select("MW")
            for dial_hz in (600e3, 950e3, 1400e3):
                set_.front_end.point(dial_hz)
                set_.feed = Input(dial_hz, most_v, 0.3)
                self.assertGreater(set_.audio().tone_v, math.sqrt(0.05 * 3.0), f"{key} {dial_hz:g}")

    def test_the_image_is_received_as_far_down_as_the_circuits_make_it(self) -> None:
        for key, name in (("halvern-6b", "SW"), ("dunlin-3", "MW"), ("stannard-seven", "BC")):
            set_ = warm(key)
            truth = set_.front_end.bands[name]
            set_.front_end.select(name)
            dial_hz = truth.band.tracking[1]["dial_hz"]
            set_.front_end.point(dial_hz)
            down = gain_db(set_, dial_hz) - gain_db(set_, dial_hz + 2.0 * truth.band.if_hz)
            asked = {"f_hz": dial_hz, "if_hz": truth.band.if_hz, "q": truth.q_factor, "circuits": truth.circuits}
            self.assertAlmostEqual(down, image_ratio_db(**asked, side="above"), delta=0.6)


class LeftBySomebody(unittest.TestCase):
    def test_tuned_by_ear_it_is_heard_as_well_as_it_can_be_there(self) -> None:
        for seed in range(4):
            set_ = warm("halvern-6b", seed=seed, misalign="severe")
            set_.feed = Input(950e3, 1e-6, 0.3)
            set_.front_end.select("MW")
            set_.front_end.point(950e3)
            before = set_.free_v()
            pointer = set_.front_end.tune_in(950e3, loudness=set_.free_v)
            self.assertGreaterEqual(set_.free_v(), before)
            best = set_.free_v()
            for way in (-1e3, 1e3):
                set_.front_end.point(pointer + way)
                self.assertLess(set_.free_v(), best)

    def test_the_same_seed_is_the_same_set_and_it_is_kept(self) -> None:
        one, other = (warm("halvern-6b", seed=9, misalign="moderate") for _ in range(2))
        self.assertEqual(one.front_end.bands, other.front_end.bands)
        one.front_end.select("SW")
        one.front_end.point(9.1e6)
        other.restore(one.state())
        self.assertEqual((other.front_end.band, other.front_end.dial_hz), ("SW", 9.1e6))


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
        set_.front_end.point(950e3)
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
        tired.front_end.point(950e3)
        before = gain_db(tired, 950e3)
        tired.parts.fit("V2-e", 40.0)
        tired.clock.let_pass(1.0)
        self.assertLess(gain_db(tired, 950e3), before - 1.0)

    def test_an_anode_without_volts_passes_nothing(self) -> None:
        silent = warm("stannard-seven", faults=("if-winding-open",))
        silent.front_end.point(920e3)
        silent.feed = Input(920e3, 10e-3, 0.3)
        self.assertLess(silent.audio().tone_v, 1e-6)

    def test_a_circuit_that_makes_no_sense_takes_no_set_down(self) -> None:
        data = copy.deepcopy(dict(dossiers.model("dunlin-3").raw))
        for valve in data["simulation"]["supply"]["valves"]:
            valve["k"] = 1e9
        set_ = PracticeReceiver(read_model(data), seed=1)
        assert set_.supply
        set_.supply.power(1.0)
        set_.lead, set_.feed = set_.strip.stages[0].points[0], Input(set_.model.if_hz, 1e-4, 0.3)
        self.assertGreater(set_.audio().tone_v, 0.0)

    def test_a_set_as_drawn_has_the_gain_it_is_drawn_for(self) -> None:
        for key in MODELS:
            granted, on = PracticeReceiver(dossiers.model(key), seed=1, misalign="none"), warm(key)
            for set_ in (granted, on):
                set_.lead, set_.feed = set_.strip.stages[0].points[0], Input(dossiers.model(key).if_hz, 1e-6, 0.3)
            self.assertAlmostEqual(20.0 * math.log10(on.free_v() / granted.free_v()), 0.0, delta=1.2)


class SwitchedOff(unittest.TestCase):
    def test_the_whole_set_is_silent_or_none_of_it(self) -> None:
        for key in MODELS:
            never, off = PracticeReceiver(dossiers.model(key), seed=1, misalign="none"), warm(key)
            assert off.supply
            off.supply.power(0.0)
            for point in (never.strip.stages[0].points[0], "aerial-socket"):
                for set_, heard in ((never, True), (off, False)):
                    set_.front_end.point(set_.front_end.bands[set_.front_end.band].band.f_low_hz * 1.2)
                    f = dossiers.model(key).if_hz if point != "aerial-socket" else set_.front_end.dial_hz
                    set_.lead, set_.feed = point, Input(f, 1e-3, 0.3)
                    self.assertEqual(set_.audio().tone_v > 0.0, heard, (key, point))
                    if not heard:
                        self.assertEqual(set_.audio().noise_v, 0.0)

    def test_in_silence_the_pointer_stays(self) -> None:
        off = warm("halvern-6b")
        assert off.supply
        off.supply.power(0.0)
        off.lead, off.feed = "aerial-socket", Input(1e6, 1e-3, 0.3)
        off.front_end.select("MW")
        off.front_end.point(0.9e6)
        self.assertEqual(off.front_end.tune_in(1.4e6, loudness=off.free_v), off.front_end.dial_hz)
        self.assertEqual(off.front_end.dial_hz, 0.9e6)


class Faults(unittest.TestCase):
    def test_an_open_aerial_coil_leaves_its_band_alive_and_deaf_and_the_others_as_they_were(self) -> None:
        sound, deaf = warm("halvern-6b"), warm("halvern-6b", faults=("aerial-coil-open",))
        lost = {}
        for name, dial_hz in (("LW", 205e3), ("MW", 950e3)):
            for set_ in (sound, deaf):
                set_.front_end.select(name)
                set_.front_end.point(dial_hz)
            lost[name] = gain_db(sound, dial_hz) - gain_db(deaf, dial_hz)
        self.assertAlmostEqual(lost["LW"], 40.0, delta=0.5)
        self.assertAlmostEqual(lost["MW"], 0.0, delta=0.01)

    def test_without_its_coil_or_its_heaters_the_oscillator_does_not_run(self) -> None:
        dead = warm("halvern-6b", faults=("oscillator-coil-open",)).front_end
        self.assertIsNotNone(dead.oscillator_hz())
        dead.select("MW")
        self.assertIsNone(dead.mixed(950e3))
        cold = warm("dunlin-3")
        assert cold.supply
        cold.supply.power(0.0)
        cold.clock.let_pass(300.0)
        cold.front_end.point(950e3)
        cold.feed = Input(950e3, 1e-3, 0.3)
        self.assertLess(cold.free_v(), 1e-6)

    def test_a_dossier_without_tanks_has_no_front_end_and_no_signal_comes_of_it(self) -> None:
        bare = FrontEnd(dossiers.model("dunlin-3"), warm("dunlin-3").parts, seed=1, misalign="none")
        bare.bands.clear()
        bare.band = ""
        self.assertIsNone(bare.mixed(950e3))
