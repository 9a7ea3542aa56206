import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.dossier.model import Model
from calm_needle.core.soundness.safe_start import ladder
from calm_needle.sim.receiver.network import GROUND, Path, Source, Valve, resistance_between, solve
from calm_needle.sim.receiver.practice import PracticeReceiver
from calm_needle.sim.receiver.transformer import STRAY_F
from tests.support import dossiers
from tests.support.properties import steady

MODELS = ("halvern-6b", "dunlin-3", "stannard-seven")


class Warm:
    """A practice set that has been on for some time, and its clock."""

    def __init__(self, model: Model, *, seed: int = 5, faults: tuple[str, ...] = (), share: float = 1.0) -> None:
        self.now = 0.0
        self.set = PracticeReceiver(model, seed=seed, faults=faults, clock=lambda: self.now)
        assert self.set.supply
        self.supply = self.set.supply
        self.supply.power(share)

    def after(self, seconds: float) -> "Warm":
        self.now += seconds
        return self


class DirectCurrents(unittest.TestCase):
    @steady
    @given(st.floats(10.0, 1e6), st.floats(10.0, 1e6), st.floats(1.0, 500.0))
    def test_a_divider_divides(self, upper: float, lower: float, v: float) -> None:
        found = solve(paths=[Path("a", "in", "tap", upper), Path("b", "tap", GROUND, lower)], valves=[], sources=[Source("in", v, 1e-3)])
        self.assertAlmostEqual(found["tap"] / v, lower / (upper + lower), delta=1e-3)
        self.assertAlmostEqual(
            resistance_between("tap", GROUND, paths=[Path("a", "in", "tap", upper), Path("b", "tap", GROUND, lower)]) / lower,
            1.0,
            delta=1e-3,
        )

    def test_a_valve_with_an_open_anode_draws_nothing_there_and_its_bias_falls(self) -> None:
        def cathode(anode_ohm: float) -> dict[str, float]:
            paths = [Path("ra", "rail", "a", anode_ohm), Path("rs", "rail", "s", 47e3), Path("rk", "k", GROUND, 300.0)]
            return solve(paths=paths, valves=[Valve("a", "s", "k", GROUND, 1e-3, 18.0, 0.2, 1.0)], sources=[Source("rail", 250.0, 1.0)])

        sound, cut = cathode(10.0), cathode(math.inf)
        self.assertGreater(sound["a"], 240.0)
        self.assertLess(cut["a"], 1.0)
        self.assertLess(cut["k"], 0.6 * sound["k"])


class EveryDemoSet(unittest.TestCase):
    def test_sound_sets_of_any_seed_meet_their_dossier_s_volts(self) -> None:
        for name in MODELS:
            model = dossiers.model(name)
            for seed in range(3):
                warm = Warm(model, seed=seed).after(600.0)
                for stage in model.stages:
                    for point in stage.test_points:
                        if point.get("expected_v"):
                            self.assertTrue(warm.supply.knows(point["id"]), f"{name} {point['id']}")
                            off = abs(warm.supply.volts(point["id"]) / point["expected_v"] - 1.0) * 100.0
                            self.assertLess(off, point.get("tolerance_percent", 10.0), f"{name} {seed} {point['id']}")

    def test_a_sound_set_of_any_seed_is_not_stopped_on_its_way_up(self) -> None:
        for name in (*MODELS, "corvane-r-40"):
            model = dossiers.model(name)
            for seed in range(5):
                for rung in ladder(model.safety_class):
                    warm = Warm(model, seed=seed, share=rung.share)
                    for seconds in (0.0, 5.0, 60.0, 600.0):
                        drawn = warm.after(seconds).supply.input_a()
                        self.assertLess(drawn, rung.stop_a, f"{name} {seed} {rung.id} after {warm.now} s")

    def test_aligned_each_meets_its_dossier_s_intermediate_frequency_and_bandwidth(self) -> None:
        for name in MODELS:
            model = dossiers.model(name)
            wanted = {s["id"]: s for s in model.specifications}
            strip = PracticeReceiver(model, seed=1, misalign="none")
            top = strip.strip_gain(model.if_hz)
            span = [model.if_hz + 10.0 * i for i in range(-800, 801)]
            inside = [f for f in span if strip.strip_gain(f) >= top / 2.0]
            self.assertTrue(wanted["if-bandwidth"]["low_hz"] < inside[-1] - inside[0] < wanted["if-bandwidth"]["high_hz"], name)
            self.assertAlmostEqual(strip.truth().peak_hz, wanted["if-centre"]["nominal_hz"], delta=wanted["if-centre"]["tolerance_hz"])

    def test_the_printed_scale_is_what_the_oscillator_of_these_values_tunes(self) -> None:
        for name in MODELS:
            gang = dossiers.model(name).raw["gang"]
            for band in dossiers.model(name).bands:
                tank = band.oscillator_tank
                before = math.inf
                for mark in band.marks:
                    total = 1.0 / (tank["l_h"] * (2.0 * math.pi * (mark.dial_hz + band.if_hz)) ** 2)
                    section = (
                        1.0 / (1.0 / total - 1.0 / tank["padder_f"]) - tank["trim_f"] if "padder_f" in tank else total - tank["trim_f"]
                    )
                    self.assertTrue(min(gang["capacitance_f"]) < section < max(gang["capacitance_f"]) * 1.01, f"{name} {mark}")
                    self.assertLess(section, before)
                    before = section

    def test_a_leak_sags_its_rail_as_it_warms_and_a_sound_one_stands(self) -> None:
        model = dossiers.model("dunlin-3")
        for faults, lost in (((), (-1.0, 1.5)), (("smoothing-leaks-warm",), (5.0, 30.0))):
            warm = Warm(model, faults=faults).after(90.0)
            first = warm.supply.volts("rail")
            fallen = 100.0 * (1.0 - warm.after(600.0).supply.volts("rail") / first)
            self.assertTrue(lost[0] < fallen < lost[1], f"{faults}: {fallen}")

    def test_more_resistance_in_the_bias_means_less_current_and_higher_rails(self) -> None:
        model = dossiers.model("dunlin-3")
        wrong, right = (Warm(model, faults=f).after(600.0).supply for f in (("bias-resistor-wrong",), ()))
        self.assertLess(wrong.volts("rail"), right.volts("rail"))
        self.assertGreater(wrong.input_a(), right.input_a())

    def test_an_open_winding_takes_the_anode_s_volts_and_the_signal(self) -> None:
        model = dossiers.model("stannard-seven")
        warm = Warm(model, faults=("if-winding-open",)).after(600.0)
        self.assertLess(warm.supply.volts("V4-a"), 1.0)
        sound = Warm(model)
        self.assertLess(warm.set.strip_gain(model.if_hz), 1e-3 * sound.set.strip_gain(model.if_hz))

    def test_in_circuit_reads_no_more_than_the_part_alone(self) -> None:
        for name in MODELS:
            warm = Warm(dossiers.model(name), share=0.0)
            for part in dossiers.model(name).parts:
                if part.kind in ("resistor", "winding"):
                    alone, wired = (warm.supply.ohms(part.id, lifted=lifted) for lifted in (True, False))
                    self.assertLessEqual(wired, alone * 1.0001, part.id)

    def test_a_coil_wound_anew_follows_turns_and_copper(self) -> None:
        model = dossiers.model("stannard-seven")
        parts = Warm(model, faults=("if-winding-open",)).set.parts
        self.assertTrue(parts["IFT2-p"].open)
        turns = parts.data("IFT2-p")["former"]["turns"]
        full, half = (parts.wind("IFT2-p", turns=n, wire_diameter_m=0.095e-3) for n in (turns, turns / 2))
        self.assertAlmostEqual(half.l_h / full.l_h, 0.25, delta=0.02)
        self.assertAlmostEqual(half.value / full.value, 0.5, delta=0.04)
        self.assertAlmostEqual(full.l_h / parts["IFT1-p"].l_h, 1.0, delta=0.06)

    def test_an_open_capacitor_keeps_its_core_from_answering_until_one_is_put_across(self) -> None:
        model = dossiers.model("halvern-6b")
        tuned = 1.0 / ((2.0 * math.pi * model.if_hz) ** 2 * math.sqrt(845e-6 * 1085e-6))

        def change_db(strip: PracticeReceiver) -> float:
            """What three turns of the core in hand change."""
            strip.adjusters["IFT2-upper"].position_turns = strip.adjusters["IFT2-upper"].travel_turns / 2.0
            middle = strip.strip_gain(model.if_hz)
            strip.turn("IFT2-upper", 3.0)
            return abs(20.0 * math.log10(strip.strip_gain(model.if_hz) / middle))

        sound, dead = (PracticeReceiver(model, seed=2, misalign="none", faults=f) for f in ((), ("if-capacitor-open",)))
        self.assertLess(dead.strip_gain(model.if_hz), 0.1 * sound.strip_gain(model.if_hz))
        self.assertGreater(change_db(sound), 10.0 * change_db(dead))
        dead.parts.put_across("IFT2-p", tuned - STRAY_F)
        dead.retune()
        self.assertAlmostEqual(change_db(dead) / change_db(sound), 1.0, delta=0.2)
        again = PracticeReceiver(model, seed=2, misalign="none", faults=("if-capacitor-open",))
        again.restore(dead.state())
        self.assertEqual(again.strip_gain(model.if_hz), dead.strip_gain(model.if_hz))

    def test_what_was_fitted_is_kept_when_the_instruments_are_unplugged(self) -> None:
        model = dossiers.model("dunlin-3")
        warm = Warm(model, faults=("bias-resistor-wrong",))
        warm.set.parts.fit("R11", 180.0)
        again = Warm(model, faults=("bias-resistor-wrong",))
        again.set.restore(warm.set.state())
        self.assertEqual(again.set.parts["R11"], warm.set.parts["R11"])
