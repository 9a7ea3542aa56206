"""Verification through the instruments of the practice bench, and by hand: near the truth, like with like, stale in its time."""

import math
import tempfile
import unittest
from pathlib import Path

from calm_needle.clock import SYSTEM, clock_of
from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.errors import FieldsRefused, NotFound
from calm_needle.store import repairs as repair_store
from calm_needle.work.jobs.shelf import job_of
from calm_needle.work.soundness import safe_start
from calm_needle.work.soundness.power import power_of
from calm_needle.work.verification import beside_good, instruments_register, measuring, soaking
from tests.support.demo import copy_into
from tests.support.looked import LOOKED
from tests.support.workshops import workshop_in

HALVERN, TYPED = 2, 3
WATCHED = {"fault": "it crackles", "minutes": "90", "every": "20", "attended": "yes"}


class OfAJob(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        copy_into(Path(folder.name))
        self.workshop = workshop_in(Path(folder.name))
        self.addCleanup(self.workshop.close)
        store = self.workshop.store()
        self.conn = store.__enter__()
        self.addCleanup(store.__exit__, None, None, None)


class ByInstruments(OfAJob):
    def setUp(self) -> None:
        super().setUp()
        meters = self.workshop.meters_for(job_of(self.conn, HALVERN))
        assert meters
        self.meters = meters
        while (shown := safe_start.view(self.conn, HALVERN)).start.rung < len(shown.rungs) - 1:
            safe_start.climb(self.conn, HALVERN, meters, form=LOOKED)
            safe_start.let_pass(meters, 600.0)
            safe_start.measure(self.conn, HALVERN, meters, electrodes=False)

    def measure(self, name: str, **form: str) -> measuring.Taken:
        found = measuring.measure_it(self.conn, HALVERN, name, {"band": "MW", "cover": "on", **form}, self.meters)
        return next(t for t in measuring.taken(self.conn, HALVERN) if t.id == found)

    def test_one_of_each_that_instruments_can_do_comes_out_as_the_receiver_is(self) -> None:
        by_noise = self.measure("sensitivity", definition="s-plus-n")
        by_output = self.measure("sensitivity", definition="standard-output")
        by_sinad = self.measure("sensitivity", definition="sinad")
        levels = [t.values["level_v"] for t in (by_noise, by_sinad, by_output)]
        self.assertEqual(levels, sorted(levels))  # 12 dB SINAD asks a little more than 10 dB, 50 mW far more in a set as found
        self.assertLess(20.0 * math.log10(levels[1] / levels[0]), 6.0)
        self.assertEqual((by_noise.cover, by_noise.source), ("on", "instruments"))
        assert by_noise.sigma
        self.assertRegex(by_noise.unsure, r"^±.\d\.\d.dB$")
        self.assertGreater(by_noise.sigma, 0.4)  # a generator that nobody checked is taken to be no better
        self.assertEqual(by_output.against.state, "stop")  # moderately off, and the papers' 150 µV are for a set that is aligned
        self.assertEqual(by_noise.limit, None)

        shape = self.measure("selectivity")
        self.assertGreater(shape.figures[0].value or 0.0, 4000.0)
        self.assertLess(shape.figures[0].value or 1e9, 9000.0)
        sound = self.measure("audio")
        self.assertAlmostEqual(sound.figures[1].value or 0.0, 60.0, delta=20.0)
        held = self.measure("gain-control")
        self.assertLess(held.figures[0].value or 99.0, 20.0)
        self.assertGreater(self.measure("image").main.value or 0.0, 20.0)
        self.assertLess(self.measure("distortion").main.value or 99.0, 5.0)

    def test_what_was_measured_no_longer_stands_once_something_was_mended_or_turned(self) -> None:
        first = self.measure("sensitivity", definition="s-plus-n")
        self.assertEqual(
            measuring.lacks(self.conn, HALVERN),
            [
                "sensitivity on long wave",
                "sensitivity on short wave",
                "dial calibration on long wave with the covers on (Frequency accuracy)",
                "dial calibration on short wave with the covers on (Frequency accuracy)",
            ],
        )
        repair_store.add_repair(self.conn, job_id=HALVERN, part="C8", what="replaced", value=None, words="", at_utc=SYSTEM.text())
        (again,) = measuring.taken(self.conn, HALVERN)
        self.assertEqual((first.stale, again.stale), ("", "C8 was replaced since"))
        self.assertIn("sensitivity on medium wave again: C8 was replaced since", measuring.lacks(self.conn, HALVERN))
        self.assertEqual(measuring.standing(self.conn, HALVERN), [])

    def test_the_register_makes_it_surer_and_an_overdue_check_less_so(self) -> None:
        unsure = self.measure("sensitivity", definition="s-plus-n").sigma
        form = {"checked_on": "2026-01-05", "against": "a power meter", "uncertainty": "0.1", "due_on": "2099-01-01"}
        instruments_register.add(self.conn, "generator", "level", form)
        sure = self.measure("sensitivity", definition="s-plus-n").sigma
        assert unsure and sure
        self.assertLess(sure, 0.6 * unsure)
        instruments_register.add(self.conn, "generator", "level", {**form, "checked_on": "2026-01-06", "given_as": "limits of error"})
        self.assertAlmostEqual(instruments_register.sure(self.conn, instrument="generator", quantity="level").uncertainty, 0.1155, places=4)
        instruments_register.add(self.conn, "generator", "level", {**form, "checked_on": "2026-01-06", "due_on": "2026-02-01"})
        self.assertEqual([line.quantity for line in instruments_register.overdue(self.conn)], ["level"])
        with self.assertRaises(FieldsRefused) as caught:
            instruments_register.add(self.conn, "generator", "level", {"checked_on": "2999-01-01", "against": "x", "uncertainty": "no"})
        self.assertIn("uncertainty", caught.exception.faults)

    def test_what_cannot_be_measured_is_said_and_nothing_is_kept(self) -> None:
        for name, form, words in (
            ("sensitivity", {"at": "5 MHz"}, "medium wave goes from"),
            ("sensitivity", {"definition": "just-audible"}, "heard or seen"),
            ("drift", {}, "read by hand"),
        ):
            with self.subTest(words), self.assertRaises(FieldsRefused) as caught:
                self.measure(name, **form)
            self.assertIn(words, " ".join(caught.exception.faults.values()))
        with self.assertRaises(NotFound):
            self.measure("loudness")
        self.assertEqual(measuring.taken(self.conn, HALVERN), [])


class ByHand(OfAJob):
    def write(self, name: str, **form: str) -> measuring.Taken:
        usual = {"band": "MW", "coupling": "dummy aerial", "cover": "on"}
        found = measuring.write_down(self.conn, TYPED, name, {**usual, **form})
        return next(t for t in measuring.taken(self.conn, TYPED) if t.id == found)

    def sensitivity(self, level: str, *, by: str = "s-plus-n", **form: str) -> measuring.Taken:
        return self.write("sensitivity", definition=DEFINITIONS[by].words, level_v=level, **form)

    def lines(self, band: str = "MW") -> list[measuring.SensitivityLine]:
        return [line for line in measuring.view(self.conn, TYPED).lines if line.band.id == band]

    def line(self, band: str = "MW") -> measuring.SensitivityLine:
        """The line in the middle of a band."""
        return next(line for line in self.lines(band) if line.at_hz not in (line.band.f_low_hz, line.band.f_high_hz))

    def test_the_ends_of_a_band_are_asked_for_in_their_order_and_judged_by_limits_of_their_own(self) -> None:
        self.assertEqual([round(line.at_hz / 1e3) for line in self.lines()], [525, 950, 1605])
        self.sensitivity("200u", by="standard-output", at_hz="525k")
        self.sensitivity("200u", by="standard-output", at_hz="950k")
        by_place = {round(line.at_hz / 1e3): line.last for line in self.lines()}
        self.assertEqual([bool(last) for last in by_place.values()], [True, True, False])
        self.assertEqual([by_place[at].against.state for at in (525, 950)], ["good", "stop"])  # type: ignore[union-attr]

    def test_better_and_worse_are_said_only_of_like_with_like(self) -> None:
        self.sensitivity("90u")
        self.sensitivity("9u")
        change = self.line().change
        assert change
        self.assertEqual((change.words, change.better), ("−20.0\u00a0dB", True))
        self.sensitivity("20u", coupling="a loop")
        change = self.line().change
        assert change
        self.assertEqual((change.words, change.better), ("not compared: coupled otherwise", None))

    def test_a_figure_without_criterion_or_coupling_is_refused_and_a_forgotten_prefix_asked_about(self) -> None:
        with self.assertRaises(FieldsRefused) as caught:
            measuring.write_down(self.conn, TYPED, "sensitivity", {"band": "MW", "level_v": "9u"})
        self.assertEqual(set(caught.exception.faults), {"definition", "coupling", "cover"})
        with self.assertRaises(FieldsRefused) as caught:
            self.sensitivity("9")
        self.assertEqual(caught.exception.meant, {"level_v": "9\u2009µV"})

    def test_by_ear_is_weak_evidence_and_does_not_verify_a_band(self) -> None:
        taken = self.sensitivity("4u", by="just-audible")
        self.assertTrue(taken.by_ear)
        self.assertIn("sensitivity on medium wave", measuring.lacks(self.conn, TYPED))

    def test_a_band_that_needs_far_more_than_the_others_stands_out(self) -> None:
        for band, level in (("LW", "8u"), ("MW", "9u"), ("SW", "60u")):
            self.sensitivity(level, band=band)
        self.assertIn("dB more than the other bands need", self.line("SW").stands_out)
        self.assertEqual(self.line("MW").stands_out, "")

    def test_with_the_covers_off_it_is_to_be_measured_again_with_them_on(self) -> None:
        for band in ("LW", "MW", "SW"):
            self.sensitivity("9u", band=band, cover="off" if band == "SW" else "on")
        self.assertEqual(sum("dial calibration" in words for words in measuring.lacks(self.conn, TYPED)), 3)
        for band, at, read in (("LW", "200k", "201k"), ("MW", "1M", "1.004M"), ("SW", "9M", "9.05M")):
            self.write("frequency", band=band, nominal_hz=at, measured_hz=read)
        (left,) = measuring.lacks(self.conn, TYPED)
        self.assertIn("with the covers on", left)
        self.sensitivity("9u", band="SW", cover="on")
        self.assertEqual(measuring.lacks(self.conn, TYPED), [])

    def test_a_slip_is_struck_with_a_reason_and_stays_in_the_store(self) -> None:
        taken = self.sensitivity("9u")
        with self.assertRaises(FieldsRefused):
            measuring.strike(self.conn, TYPED, taken.id, " ")
        measuring.strike(self.conn, TYPED, taken.id, "wrong band")
        self.assertEqual([t.struck for t in measuring.taken(self.conn, TYPED)], ["wrong band"])
        self.assertIsNone(self.line().last)
        with self.assertRaises(NotFound):
            measuring.strike(self.conn, TYPED, taken.id + 1, "x")

    def test_frequencies_are_as_sure_as_the_register_says_and_a_pattern_is_read_off_them(self) -> None:
        one = self.write("frequency", nominal_hz="1M", measured_hz="1.0001M")
        self.assertEqual(one.values["reference_ppm"], 4.0)  # uncertainty (95 %) of a counter that nobody has checked
        self.assertEqual(measuring.view(self.conn, TYPED).frequency.pattern, "one point")
        self.write("frequency", band="SW", nominal_hz="10M", measured_hz="10.001M")
        self.assertEqual(measuring.view(self.conn, TYPED).frequency.pattern, "proportional")

    def test_lists_that_do_not_fit_are_refused_at_their_field(self) -> None:
        with self.assertRaises(FieldsRefused) as caught:
            self.write("selectivity", offsets_hz="-3k; 0; 3k; 6k; 9k", down_db="6; 0")
        self.assertIn("down_db", caught.exception.faults)


class WatchesAndEars(OfAJob):
    def test_a_watch_is_open_until_its_quiet_time_is_met(self) -> None:
        with self.assertRaises(FieldsRefused):
            soaking.begin(self.conn, TYPED, {"fault": " "})
        with self.assertRaises(FieldsRefused) as caught:
            soaking.begin(self.conn, TYPED, {"fault": "it crackles", "every": "often"})
        self.assertEqual(set(caught.exception.faults), {"minutes", "every", "attended"})
        watch_id = soaking.begin(self.conn, TYPED, WATCHED)
        self.assertEqual(power_of(self.conn, TYPED).state, "on", "it is watched with the set on")
        soaking.log(self.conn, TYPED, watch_id, {"kind": "event"})
        with self.assertRaises(FieldsRefused):
            soaking.log(self.conn, TYPED, watch_id, {"kind": "provoked"})
        soaking.log(self.conn, TYPED, watch_id, {"kind": "cause removed", "place": "the wafer"})
        self.assertIn("On probation", soaking.still_open(self.conn, TYPED)[0])
        clock = clock_of(self.conn)
        clock.wait(86_400.0)  # alone for a day: half an hour counts
        (view,) = soaking.views(self.conn, TYPED)
        self.assertEqual((view.alone, view.over, view.watch.closed), (True, True, False))
        soaking.log(self.conn, TYPED, watch_id, {"kind": "here"})
        self.assertFalse(soaking.views(self.conn, TYPED)[0].alone)
        safe_start.switch_off(self.conn, TYPED)
        before = soaking.views(self.conn, TYPED)[0].watch.quiet_s
        clock.wait(86_400.0)
        self.assertEqual(soaking.views(self.conn, TYPED)[0].watch.quiet_s, before, "a set that is off is not watched")
        with self.assertRaises(FieldsRefused):
            soaking.begin(self.conn, TYPED, WATCHED)
        safe_start.switch_on(self.conn, TYPED, None)
        for _ in range(4):
            clock.wait(1500.0)
            soaking.log(self.conn, TYPED, watch_id, {"kind": "here"})
        self.assertTrue(soaking.views(self.conn, TYPED)[0].watch.closed)
        soaking.log(self.conn, TYPED, watch_id, {"kind": "smoke", "place": "C8"})
        self.assertEqual(power_of(self.conn, TYPED).state, "stopped")
        self.assertIn("smoke while it was watched: C8", safe_start.view(self.conn, TYPED).climb.sentence)
        with self.assertRaises(NotFound):
            soaking.log(self.conn, TYPED, watch_id + 1, {"kind": "event"})

    def test_which_is_which_is_told_only_once_both_are_scored(self) -> None:
        with self.assertRaises(FieldsRefused) as caught:
            beside_good.begin(self.conn, TYPED, {"band": "MW"})
        self.assertEqual(set(caught.exception.faults), {"reference", "aerial"})
        trial = beside_good.begin(self.conn, TYPED, {"band": "MW", "reference": "Halvern 6B no. 1", "aerial": "the long wire"})
        (hidden,) = beside_good.view(self.conn, TYPED).open
        self.assertIsNone(hidden.this_score)
        order = beside_good.order_of(self.conn, TYPED, trial)
        with self.assertRaises(FieldsRefused):
            beside_good.score(self.conn, TYPED, trial, {"first": "6", "second": "2"})
        beside_good.score(self.conn, TYPED, trial, {"first": "5", "second": "2"})
        (scored,) = beside_good.view(self.conn, TYPED).scored
        self.assertEqual(scored.this_score, 5 if order[0] == "this set" else 2)
        with self.assertRaises(FieldsRefused):
            beside_good.score(self.conn, TYPED, trial, {"first": "1", "second": "1"})
