"""The links of the chain, each against what physics says of it."""

import copy
import math
import unittest
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from calm_needle.core.dossier.read import read_model
from calm_needle.core.physics.superhet import frequency_plan, image_ratio_db
from calm_needle.sim.receiver.adjuster import Compression, Rotary
from calm_needle.sim.receiver.circuit_faults import circuit_faults
from calm_needle.sim.receiver.control import controlled, settled
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from calm_needle.sim.receiver.signal import Now, Wave
from calm_needle.sim.receiver.stages.amplifier import limited
from calm_needle.sim.receiver.stages.detector import ProductDetector, envelope_noise
from calm_needle.sim.receiver.stages.stage import OneOrMany, Stage
from calm_needle.sim.receiver.stages.table import STAGES, register
from tests.support import dossiers
from tests.support.properties import steady

CORVANE, SCOUT = "corvane-r-40", "pellow-scout"


def aligned(key: str, *, point: str = "", band: str = "", dial_hz: float = 0.0, **switches: str) -> PracticeReceiver:
    receiver = PracticeReceiver(dossiers.model(key), seed=1, misalign="none", clock=lambda: 0.0)
    receiver.lead = point or receiver.chain.stages[0].points[0]
    receiver.stand(band=band or None, dial_hz=dial_hz or None, switches=switches)
    return receiver


def db(ratio: float) -> float:
    return 20.0 * math.log10(ratio)


class WhatTheMixerReceives(unittest.TestCase):
    """Where a superhet responds, by arithmetic."""

    def response(self, receiver: PracticeReceiver, f_hz: float, level_v: float = 1e-6) -> float:
        receiver.feed = Input(f_hz, level_v, 0.3)
        return receiver.free_v()

    def test_the_image_is_down_by_both_circuits_of_a_set_with_a_stage_before_its_mixer(self) -> None:
        for band, f in (("A", 1.22e6), ("C", 5.8e6), ("D", 22.5e6)):
            receiver = aligned(CORVANE, band=band, dial_hz=f)
            plan = frequency_plan(dial_hz=f, if_hz=465e3, side="above")
            found = db(self.response(receiver, f) / self.response(receiver, plan.image_hz))
            circuits = [s for s in receiver.chain.stages if hasattr(s, "setting")]
            wanted = sum(image_ratio_db(f_hz=f, if_hz=465e3, q=s.setting(band, "q"), circuits=1, side="above") for s in circuits)
            self.assertAlmostEqual(found, wanted, delta=0.5)

    def test_half_the_intermediate_frequency_above_it_responds_by_the_square(self) -> None:
        receiver = aligned(CORVANE, band="D", dial_hz=15.5e6)
        half_hz = frequency_plan(dial_hz=15.5e6, if_hz=465e3, side="above").half_if_hz
        weak, strong = (self.response(receiver, half_hz, v) for v in (1e-4, 1e-3))
        self.assertAlmostEqual(db(strong / weak), 40.0, delta=0.5)
        for aside in (-6e3, 6e3):
            self.assertLess(self.response(receiver, half_hz + aside, 1e-3), 0.5 * strong)

    def test_a_harmonic_of_the_oscillator_receives_both_sides_of_it(self) -> None:
        receiver = aligned("halvern-6b", band="LW", dial_hz=200e3)
        oscillator_hz = receiver.oscillator_hz()
        assert oscillator_hz is not None
        for f in (2.0 * oscillator_hz - 468e3, 2.0 * oscillator_hz + 468e3):
            there = self.response(receiver, f)
            self.assertGreater(there, 10.0 * self.response(receiver, f + 9e3))
            self.assertLess(there, self.response(receiver, 200e3))


class Turned(unittest.TestCase):
    @steady
    @given(st.floats(0.05, 0.95))
    def test_a_rotary_trimmer_passes_a_value_twice_a_turn(self, share: float) -> None:
        trimmer = Rotary(3e-12, 31e-12)
        trimmer.set_to(3e-12 + share * 28e-12)
        wanted, passes, before = trimmer.farads(), 0, 0.0
        for i in range(1001):
            off = trimmer.farads() - wanted - 1e-16
            passes += i > 0 and (off > 0) != (before > 0)
            before = off
            self.assertFalse(trimmer.turn(1e-3))
        self.assertEqual(passes, 2)
        self.assertAlmostEqual(trimmer.tool_turns, 1.001, places=6)

    def test_a_compression_trimmer_goes_one_way_and_is_steep_when_tight(self) -> None:
        trimmer = Compression(3.0, least_f=400e-12, most_f=600e-12)
        values = [trimmer.farads()]
        while not trimmer.turn(0.1):
            values.append(trimmer.farads())
        steps = np.diff(values)
        self.assertTrue((steps > 0).all())
        self.assertTrue((np.diff(steps) > 0).all())
        self.assertAlmostEqual(values[-1], 600e-12, delta=5e-12)

    def test_everything_that_a_dossier_lists_turns_and_does_something(self) -> None:
        for model in dossiers.all_models():
            receiver = PracticeReceiver(model, seed=2, misalign="none")
            self.assertEqual({a.id for a in model.adjusters} - set(receiver.adjusters), set(), model.name)
            for name in receiver.adjusters:
                before = self.everything(receiver)
                receiver.turn(name, 0.2)
                self.assertNotEqual(self.everything(receiver), before, (model.name, name))
                receiver.turn(name, -0.2)

    @staticmethod
    def everything(receiver: PracticeReceiver) -> list[Any]:
        kept = receiver.dial.band, receiver.dial.dial_hz
        out: list[Any] = [receiver.dial.dial_hz]
        for band in receiver.dial.bands:
            receiver.dial.select(band)
            for switch in ("crystal", "broad"):
                receiver.switches["filter"] = switch
                now = receiver.now()
                out += [now.oscillator_hz, *(v for s in receiver.chain.stages for v in s.tuned_to(now))]
        receiver.dial.select(kept[0])
        receiver.dial.point(kept[1])
        return out + [s.beat_hz() for s in receiver.chain.all if isinstance(s, ProductDetector)]

    def test_the_tuning_knob_moves_the_pointer_over_the_whole_scale(self) -> None:
        receiver = aligned("halvern-6b", band="MW")
        receiver.turn("tuning", -20.0)
        self.assertAlmostEqual(receiver.dial.dial_hz, 525e3, delta=1.0)
        seen = [receiver.dial.dial_hz]
        while not receiver.turn("tuning", 0.25):
            seen.append(receiver.dial.dial_hz)
        self.assertTrue((np.diff(seen) > 0).all())
        self.assertAlmostEqual(seen[-1], 1605e3, delta=2e3)
        for mark in receiver.dial.bands["MW"].marks:
            receiver.dial.point(mark.dial_hz)
            self.assertAlmostEqual(receiver.dial.dial_hz, mark.dial_hz, delta=1.0)


class GainControl(unittest.TestCase):
    def test_of_a_linear_chain_the_fixed_point_is_the_closed_form(self) -> None:
        for key, point in (("halvern-6b", "V1-g1"), (CORVANE, "V2-g1")):
            receiver = aligned(key, point=point)
            control = receiver.chain
            for level in (1e-5, 1e-3, 1e-2):
                free = math.sqrt(2.0) * level * receiver.strip_gain(receiver.model.if_hz)
                _, waves = control.settle(Wave(receiver.model.if_hz, level), receiver.now(), entry=control.mixer)
                carrier = math.sqrt(2.0 * sum(w.v**2 for w in waves))
                if carrier < 0.2 * 45.0:  # below what the last stage gives at most
                    # What is fed in behind a controlled stage is held by the others only.
                    slope = control.slope * sum(s.data.get("controlled", 0.0) for s in control.stages[control.mixer :])
                    wanted = controlled(free, threshold_v=control._threshold_v, slope=slope)
                    self.assertAlmostEqual(db(carrier / wanted), 0.0, delta=0.15, msg=f"{key} {level}")

    def test_it_is_found_for_a_stage_that_is_driven_to_its_end(self) -> None:
        def carrier(drawn_back: float) -> float:
            return math.sqrt(sum(w.v**2 for w in limited([Wave(455e3, 300.0 * drawn_back**-4.0)], 20.0)))

        at = settled(carrier, free_v=carrier(1.0), threshold_v=3.0, slope=4.0)
        self.assertAlmostEqual(carrier(at) / 3.0, at, delta=1e-4)
        self.assertLess(at, controlled(300.0, threshold_v=3.0, slope=4.0) / 3.0)

    def test_the_strength_meter_rises_by_even_steps_with_the_signal(self) -> None:
        receiver, shown = aligned(CORVANE, band="B", dial_hz=2.2e6), []
        for level in (1e-6, 1e-5, 1e-4, 1e-3, 1e-2):
            receiver.feed = Input(2.2e6, level, 0.0)
            shown.append(receiver.strength())
        self.assertEqual(shown[0], 0.0)
        steps = np.diff(shown[1:])
        self.assertTrue(((steps > 16.0) & (steps < 20.0)).all(), shown)

    def test_a_strong_signal_is_quieter_in_its_noise_than_a_weak_one(self) -> None:
        receiver, ratios = aligned(CORVANE, band="B", dial_hz=2.2e6), []
        for level in (3e-6, 3e-5, 3e-4):
            receiver.feed = Input(2.2e6, level, 0.3)
            tone, noise, _ = receiver.audio()
            ratios.append(db(tone / noise))
        self.assertTrue((np.diff(ratios) > 10.0).all(), ratios)


class Narrow(unittest.TestCase):
    def test_the_phasing_puts_a_notch_on_the_side_to_which_it_is_turned(self) -> None:
        receiver = aligned(CORVANE, point="V2-g1", filter="crystal")
        offsets = [o for o in range(-6000, 6001, 50) if abs(o) > 600]

        def deepest() -> int:
            return min(offsets, key=lambda o: receiver.strip_gain(465e3 + o) / broad[o])

        now = receiver.now()
        crystal = next(s for s in receiver.chain.stages if "phasing" in s.adjusters)
        broad = {o: receiver.strip_gain(465e3 + o) / crystal.transfer(465e3 + o, now) for o in offsets}
        receiver.turn("phasing", 0.06)
        self.assertTrue(1000 < deepest() < 5000, deepest())
        receiver.turn("phasing", -0.12)
        self.assertTrue(-5000 < deepest() < -1000, deepest())

    def test_noise_in_a_narrow_band_is_less_by_the_root_of_the_widths(self) -> None:
        wide, narrow = (aligned(CORVANE, point="V2-g1", filter=f) for f in ("broad", "crystal"))
        for receiver in (wide, narrow):
            receiver.feed = Input(465e3, 1e-6, 0.0)
        f = 465e3 + np.arange(-12000.0, 12001.0, 20.0)
        widths = []
        for receiver in (wide, narrow):
            gains = np.array([receiver.strip_gain(x) for x in f])
            widths.append(float((gains**2).sum() / receiver.strip_gain(465e3) ** 2))
        at_input = [r.noise_v() / r.free_v() for r in (wide, narrow)]
        self.assertAlmostEqual(at_input[0] / at_input[1], math.sqrt(widths[0] / widths[1]), delta=0.25)


class TheBeat(unittest.TestCase):
    def test_it_is_the_difference_of_carrier_and_beat_oscillator(self) -> None:
        receiver = aligned(CORVANE, point="V2-g1", detector="product")
        receiver.turn("pitch", 0.1)
        beat = next(s for s in receiver.chain.all if isinstance(s, ProductDetector))
        for off in (-900.0, 700.0):
            receiver.feed = Input(465e3 + off, 2e-5, 0.0)
            self.assertAlmostEqual(receiver.audio().tone_hz, abs(465e3 + off - beat.beat_hz()), places=3)
            self.assertGreater(receiver.audio().tone_v, 0.05)

    def test_a_bare_carrier_is_silent_without_it(self) -> None:
        receiver = aligned(CORVANE, point="V2-g1", detector="envelope")
        receiver.feed = Input(465e3, 2e-5, 0.0)
        self.assertEqual(receiver.audio().tone_v, 0.0)

    def test_the_can_that_it_shares_is_two_circuits(self) -> None:
        receiver = aligned(CORVANE, point="V2-g1")
        strip, beat = receiver.strip_gain(465e3), next(s for s in receiver.chain.all if isinstance(s, ProductDetector)).beat_hz()
        receiver.turn("T4-lower", 1.0)
        self.assertEqual(receiver.strip_gain(465e3), strip)
        self.assertNotAlmostEqual(next(s for s in receiver.chain.all if isinstance(s, ProductDetector)).beat_hz(), beat, delta=1e3)


class Regeneration(unittest.TestCase):
    def one_circuit(self) -> PracticeReceiver:
        """The Scout, its first can fed back to itself by a control that it does not have."""
        data = copy.deepcopy(dict(dossiers.model(SCOUT).raw))
        reaction = {
            **data["adjusters"][0],
            "id": "reaction",
            "name": "reaction",
            "kind": "preset",
            "travel_turns": 1.0,
            "tunes": {"text": "reaction"},
        }
        data["adjusters"].append(reaction)
        mixer = next(s for s in data["stages"] if s["id"] == "mixer")
        mixer["circuit"][1] = {**mixer["circuit"][1], "kind": "regenerative", "reaction": "reaction", "beta": 1.1}
        self.assertEqual(list(circuit_faults(data)), [])
        receiver = PracticeReceiver(read_model(data), seed=1, misalign="none")
        receiver.lead, receiver.feed = "Q1-b", Input(452e3, 1e-6, 0.3)
        return receiver

    def width_and_gain(self, receiver: PracticeReceiver) -> tuple[float, float]:
        tank = receiver.chain.stages[receiver.chain.mixer + 1]
        f = [452e3 + 5.0 * i for i in range(-4000, 4001)]
        gains = [tank.transfer(x, receiver.now()) for x in f]
        inside = [x for x, g in zip(f, gains, strict=True) if g >= max(gains) / math.sqrt(2.0)]
        return inside[-1] - inside[0], max(gains)

    def test_reaction_gives_gain_and_takes_width_alike(self) -> None:
        receiver = self.one_circuit()
        without = self.width_and_gain(receiver)
        receiver.turn("reaction", 0.8)
        fed_back = self.width_and_gain(receiver)
        times = 1.0 / (1.0 - 0.88)
        self.assertAlmostEqual(fed_back[1] / without[1], times, delta=0.1)
        self.assertAlmostEqual(without[0] / fed_back[0], times, delta=0.3)

    def test_too_much_of_it_oscillates(self) -> None:
        receiver = self.one_circuit()
        receiver.feed = Input(452e3, 0.0, 0.0)
        self.assertEqual(receiver.free_v(), 0.0)
        receiver.turn("reaction", 1.0)
        self.assertGreater(receiver.free_v(), 0.0)


class Halving(Stage):
    """A made-up kind: a resistive divider, all in this one place."""

    numbers = ("by",)

    def transfer(self, f_hz: OneOrMany, now: Now) -> OneOrMany:
        return 1.0 / self.data["by"]


class AnotherKind(unittest.TestCase):
    def test_a_made_up_kind_of_link_needs_one_class_and_a_name(self) -> None:
        register("divider", Halving)
        self.addCleanup(STAGES.pop, "divider")
        data = copy.deepcopy(dict(dossiers.model(SCOUT).raw))
        stage = next(s for s in data["stages"] if s["id"] == "if-1")
        stage["circuit"].append({"kind": "divider"})
        self.assertEqual([f.path for f in circuit_faults(data)], ["stages[3].circuit[2].by"])
        stage["circuit"][-1]["by"] = 4.0
        self.assertEqual(list(circuit_faults(data)), [])
        divided, whole = PracticeReceiver(read_model(data), seed=1, misalign="none"), aligned(SCOUT)
        for receiver in (divided, whole):
            receiver.lead, receiver.feed = "Q1-b", Input(452e3, 1e-6, 0.3)
        self.assertAlmostEqual(whole.free_v() / divided.free_v(), 4.0, places=6)

    def test_circuits_that_cannot_be_built_are_refused_with_every_fault(self) -> None:
        data = copy.deepcopy(dict(dossiers.model(CORVANE).raw))
        circuits = {s["id"]: s["circuit"] for s in data["stages"] if "circuit" in s}
        circuits["audio"]["kind"] = "loud"
        circuits["mixer"][1]["kappa"] = -1
        del circuits["if-1"][1]["secondary"]
        circuits["crystal"]["phasing"] = "nobody"
        paths = [f.path for f in circuit_faults(data)]
        self.assertEqual(
            paths,
            ["stages[2].circuit[1].kappa", "stages[4].circuit.phasing", "stages[5].circuit[1].secondary", "stages[9].circuit.kind"],
        )


class LookingAtIt(unittest.TestCase):
    def test_every_test_point_of_every_dossier_can_be_probed(self) -> None:
        for model in dossiers.all_models():
            receiver = PracticeReceiver(model, seed=1, misalign="none")
            for stage in model.stages:
                for point in stage.test_points:
                    if stage.kind != "power":
                        receiver.clip("counter", point["id"])
                        receiver.look("counter", farads=1e-12)

    def test_a_probe_detunes_what_it_hangs_on_while_it_hangs_there_and_no_longer(self) -> None:
        receiver = aligned("halvern-6b", point="V1-g1")
        receiver.feed = Input(468e3, 1e-5, 0.3)
        before = receiver.audio().tone_v
        receiver.clip("oscilloscope1", "V2-g1")
        light, heavy = (receiver.look("oscilloscope1", farads=c).waves[0].v for c in (1e-12, 95e-12))
        self.assertLess(heavy, 0.3 * light)
        self.assertEqual(receiver.audio().tone_v, before)

    def test_the_oscillator_is_pulled_by_what_is_clipped_to_it(self) -> None:
        receiver = aligned("halvern-6b", band="MW", dial_hz=1e6)
        receiver.clip("counter", "V1-gt")
        loose, loaded = (receiver.look("counter", farads=c).waves[0].f_hz for c in (0.0, 30e-12))
        self.assertAlmostEqual(loose, 1.468e6, delta=1.0)
        self.assertLess(loaded, loose - 50e3)

    def test_a_screen_is_decoupled_and_an_anode_is_not(self) -> None:
        receiver = aligned(CORVANE, point="V2-g1")
        receiver.feed = Input(465e3, 1e-4, 0.3)
        receiver.clip("oscilloscope1", "V4-g2")
        self.assertEqual(receiver.look("oscilloscope1", farads=1e-12).waves, ())
        receiver.clip("oscilloscope1", "V4-a")
        self.assertGreater(receiver.look("oscilloscope1", farads=1e-12).waves[0].v, 0.01)


class WhatHandsDo(unittest.TestCase):
    def test_a_blade_in_the_core_and_a_can_taken_off_detune_while_they_are_so(self) -> None:
        receiver = aligned("halvern-6b", point="V1-g1")
        best = receiver.strip_gain(468e3)
        for change, back in (
            (lambda: receiver.put_blade("IFT1-upper"), lambda: receiver.put_blade("")),
            (lambda: receiver.cover(on=False), lambda: receiver.cover(on=True)),
        ):
            change()
            self.assertLess(db(receiver.strip_gain(468e3) / best), -0.3)
            back()
            self.assertEqual(receiver.strip_gain(468e3), best)

    def test_peaked_with_a_blade_it_is_off_when_the_blade_is_out(self) -> None:
        receiver = aligned("halvern-6b", point="V1-g1")
        receiver.put_blade("IFT1-upper")
        winding = receiver.tuned("IFT1-p")
        assert winding
        while winding.frequency_hz() < 468e3:
            receiver.turn("IFT1-upper", -0.01)
        receiver.put_blade("")
        self.assertGreater(winding.frequency_hz(), 472e3)

    def test_a_loose_loop_hears_the_oscillator_and_does_not_pull_it(self) -> None:
        receiver = aligned("halvern-6b", band="MW", dial_hz=1e6)
        receiver.clip("counter", "loop oscillator")
        (wave,) = receiver.look("counter", farads=30e-12).waves
        self.assertAlmostEqual(wave.f_hz, 1.468e6, delta=1.0)
        self.assertTrue(0.02 < wave.v < 0.5)
        with self.assertRaises(KeyError):
            receiver.clip("counter", "loop nowhere")


class Warmth(unittest.TestCase):
    def test_the_oscillator_comes_down_to_its_place_as_the_set_warms(self) -> None:
        clock = [0.0]
        receiver = PracticeReceiver(dossiers.model(CORVANE), seed=1, misalign="none", clock=lambda: clock[0])
        assert receiver.supply
        receiver.supply.power(1.0)
        receiver.stand(band="C", dial_hz=5.8e6)
        seen = []
        for minutes in (1.0, 5.0, 15.0, 60.0):
            clock[0] = 60.0 * minutes
            oscillator_hz = receiver.oscillator_hz()
            assert oscillator_hz is not None
            seen.append(oscillator_hz - 6.265e6)
        self.assertTrue((np.diff(seen) < 0).all(), seen)
        self.assertTrue(500.0 < seen[0] < 1000.0 and abs(seen[-1]) < 5.0, seen)


class Transistors(unittest.TestCase):
    def test_the_scout_wakes_at_once_and_draws_what_its_battery_can_give(self) -> None:
        clock = [0.0]
        receiver = PracticeReceiver(dossiers.model(SCOUT), seed=1, misalign="none", clock=lambda: clock[0])
        assert receiver.supply
        receiver.supply.power(1.0)
        clock[0] = 0.5
        receiver.lead, receiver.feed = "Q1-b", Input(452e3, 6e-5, 0.3)
        self.assertGreater(receiver.audio().tone_v, 0.2)
        self.assertTrue(2e-3 < receiver.supply.input_a() < 30e-3)

    def test_a_can_whose_capacitor_has_opened_answers_by_next_to_nothing(self) -> None:
        sound = PracticeReceiver(dossiers.model(SCOUT), seed=1, misalign="none")
        dead = PracticeReceiver(dossiers.model(SCOUT), seed=1, misalign="none", faults=("if-capacitor-open",))
        self.assertLess(db(dead.strip_gain(452e3) / sound.strip_gain(452e3)), -35.0)
        before = dead.strip_gain(452e3)
        dead.turn("IFT2", 1.5)
        self.assertLess(abs(db(dead.strip_gain(452e3) / before)), 1.5)
        dead.parts.put_across("IFT2-p", 171e-12)
        dead.retune()
        dead.turn("IFT2", -1.5)
        self.assertGreater(db(dead.strip_gain(452e3) / sound.strip_gain(452e3)), -1.0)


class TheNoiseOfAnEnvelope(unittest.TestCase):
    def test_it_is_that_of_a_made_envelope_with_and_without_a_carrier(self) -> None:
        rng = np.random.default_rng(8)
        noise = rng.normal(size=400_000) + 1j * rng.normal(size=400_000)
        for ratio in (0.0, 0.3, 1.0, 4.0, 50.0):
            made = float(np.std(np.abs(math.sqrt(2.0 * ratio) + noise)))
            self.assertAlmostEqual(20.0 * math.log10(envelope_noise(ratio) / made), 0.0, delta=0.03, msg=str(ratio))
