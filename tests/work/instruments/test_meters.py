"""The meters over real sockets: a workshop with its stand-ins, a set under their probes, nobody soldering anything."""

import itertools
import math
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from calm_needle.clock import SYSTEM
from calm_needle.core.physics import coils
from calm_needle.errors import FieldsRefused, InstrumentGone, InstrumentRefused, NotFound
from calm_needle.work.bench.run_book import begin_run
from calm_needle.work.instruments import soundings
from calm_needle.work.instruments.core_places import core_at, travel_percent
from calm_needle.work.instruments.equipment import Equipment
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.soundness import bands, guided, guided_meters, parts_sweep, repairs, safe_start
from tests.support.demo import copy_into
from tests.support.looked import LOOKED
from tests.support.workshops import workshop_in

ALIGNED_NEXT, TYPED, BOAT_HOUSE, DUNLIN, STANNARD = 2, 3, 4, 5, 6


class UnderTheProbes(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        copy_into(Path(folder.name))
        self.workshop = workshop_in(Path(folder.name))
        self.addCleanup(self.workshop.close)

    def test_from_power_to_a_new_part(self) -> None:
        with self.workshop.store() as conn:
            found = self.workshop.meters_for(job_of(conn, DUNLIN))
            assert found is not None
            meters: Meters = found
            safe_start.climb(conn, DUNLIN, meters, form=LOOKED)
            safe_start.let_pass(meters, 60.0)
            safe_start.measure(conn, DUNLIN, meters, electrodes=True)
            shown = safe_start.view(conn, DUNLIN)
            self.assertEqual(shown.climb.state, "good")
            self.assertTrue(all(r.last_v is not None for r in (*shown.rails, *shown.electrodes)))
            with self.assertRaises(InstrumentRefused) as caught:  # an ohmmeter on a set that is on
                meters.part("R11", kind="resistor", in_circuit=False)
            self.assertIn("switch the set off", str(caught.exception))
            safe_start.switch_off(conn, DUNLIN, meters)

            line = parts_sweep.enter(conn, DUNLIN, {"part": "R11", "value": ""}, lambda: meters)
            self.assertEqual(line.verdict.state, "out")
            self.assertAlmostEqual(meters.part("R11", kind="resistor", in_circuit=False).value, 101.5, delta=1.0)
            self.assertLess(meters.part("R10", kind="resistor", in_circuit=True).value, 1.01 * 560e3 * 1.2)
            with self.assertRaises(FieldsRefused):
                parts_sweep.enter(conn, DUNLIN, {"part": "V3-e", "value": ""}, lambda: meters)
            repairs.record(conn, DUNLIN, {"part": "R11", "what": "replaced", "looked_over": "yes"}, meters)
            self.assertAlmostEqual(meters.part("R11", kind="resistor", in_circuit=False).value / 180.0, 1.0, delta=0.03)
            self.assertEqual(parts_sweep.enter(conn, DUNLIN, {"part": "R11", "value": ""}, lambda: meters).verdict.state, "in")

            bands.read_coils(conn, DUNLIN, meters)
            self.assertIn("Ω", bands.view(conn, DUNLIN).lines[0].coil)
            self.assertTrue(math.isinf(meters.henries("R1").value))
            self.assertTrue(math.isinf(meters.henries("T1-p").value))
            self.assertAlmostEqual(meters.henries("L2").value / 182e-6, 1.0, delta=0.03)
            self.workshop.stand_ins.unplug()
            with self.assertRaises(InstrumentGone):
                meters.volts("rail")

    def test_a_transformer_with_an_open_capacitor_is_mended_by_what_the_bench_reads(self) -> None:
        with self.workshop.store() as conn:
            found = self.workshop.meters_for(job_of(conn, BOAT_HOUSE))
            assert found is not None and found.practice is not None
            meters, practice = found, found.practice
            practice.clip_lead("V1-g1")
            before = {core: practice.position(core) for core in ("IFT2-upper", "IFT1-upper")}
            begun = {"piece": "open-capacitor", "subject": "IFT2-p", "sister": "IFT1-p"}
            work_id = guided.begin(conn, BOAT_HOUSE, begun)

            def answer(stage: str, *read: str, **typed: str) -> guided.WorkView:
                form = {"stage": stage, **typed}
                for name in read:
                    form[name] = guided_meters.measure(conn, BOAT_HOUSE, work_id, {**form, "read": name}, meters).typed
                guided.answer(conn, BOAT_HOUSE, work_id, form, meters)
                return guided.work_view(conn, BOAT_HOUSE, work_id)

            answer("answers", turns_tried="2", change_db="0.1")
            with self.assertRaisesRegex(FieldsRefused, "Nobody has said whether the set is on"):
                answer("winding", "ohm_here", "ohm_sister", "l_min_h", "l_max_h")
            safe_start.switch_off(conn, BOAT_HOUSE, meters)
            self.assertEqual(answer("winding", "ohm_here", "ohm_sister", "l_min_h", "l_max_h").stages[1].said.state, "good")
            with self.assertRaises(FieldsRefused) as caught:  # which capacitor is held across?
                guided_meters.measure(conn, BOAT_HOUSE, work_id, {"stage": "dip", "read": "dip_across_db"}, meters)
            self.assertIn("across_f", caught.exception.faults)
            shown = answer("dip", "dip_db", "dip_across_db", across_f="330 pF")  # far below: the scan goes after it
            self.assertEqual(shown.stages[2].shown["dip_db"], "0\u2009dB")
            self.assertIn("the one inside is open", shown.stages[2].said.sentence)
            safe_start.climb(conn, BOAT_HOUSE, meters, form=LOOKED)
            with self.assertRaises(FieldsRefused) as caught:
                guided_meters.measure(conn, BOAT_HOUSE, work_id, {"stage": "dip", "read": "dip_db"}, meters)
            self.assertIn("The set is on since", str(caught.exception))
            safe_start.switch_off(conn, BOAT_HOUSE, meters)
            choose = next(s for s in shown.stages if s.stage.name == "choose")
            answer("choose", if_hz=choose.shown["if_hz"])
            answer("measured", c_measured_f="110 pF")
            self.assertTrue(answer("after", "peak_percent").through)
            self.assertEqual({core: practice.position(core) for core in before}, before, "every core is back where it was")

            work_id = guided.begin(conn, BOAT_HOUSE, {**begun, "subject": "IFT1-s"})
            waxed = practice.position("IFT1-lower")
            with self.assertRaises(FieldsRefused) as caught:
                guided_meters.measure(conn, BOAT_HOUSE, work_id, {"stage": "winding", "read": "l_max_h"}, meters)
            self.assertEqual(practice.position("IFT1-lower"), waxed)
            self.assertIn("clear its wax first", str(caught.exception))

    def test_bands_are_heard_only_from_a_set_that_is_on_and_a_deaf_one_is_alive(self) -> None:
        with self.workshop.store() as conn:
            for job, band, level in ((DUNLIN, "MW", "µV"), (BOAT_HOUSE, "LW", bands.NOT_REACHED), (STANNARD, "BC", "")):
                meters = self.workshop.meters_for(job_of(conn, job))
                assert meters is not None and meters.practice is not None
                with self.assertRaises(FieldsRefused) as caught:
                    bands.hear(conn, job, band, meters)
                self.assertIn("switch it on by its safe start", str(caught.exception))
                meters.practice.power(1.0)
                meters.practice.let_pass(120.0)
                meters.practice.clip_lead("V2-g1")
                before = meters.generator.state(), meters.practice.lead()
                bands.hear(conn, job, band, meters)
                self.assertEqual((meters.generator.state(), meters.practice.lead()), before)
                line = bands.view(conn, job).lines[0]
                self.assertEqual(line.readings.generator, "alive" if level else "dead")
                self.assertIn(level, line.level)
                if level == bands.NOT_REACHED:  # its aerial coil is open
                    self.assertIn("alive is not sensitive", " ".join(line.verdict.sentences))
                with self.assertRaises(NotFound):
                    bands.hear(conn, job, "nowhere", meters)

    def test_a_run_at_the_bench_stands_aside_and_goes_on_undisturbed(self) -> None:
        with self.workshop.store() as conn:
            job = job_of(conn, ALIGNED_NEXT)
            found = self.workshop.meters_for(job)
            assert found is not None and found.practice is not None
            meters, practice = found, found.practice
            practice.power(1.0)
            practice.let_pass(120.0)
            run_id = begin_run(conn, job_id=job.id, phase="intermediate frequency", bench="instruments", at_utc=SYSTEM.text())
            desk = self.workshop.take_bench(run_id)
            desk.set_everything(desk.here)

            def readings() -> int:
                with desk.book() as book:
                    return len(book.seen.kept)

            def wait_for_more(than: int) -> None:
                after = 0
                while readings() <= than:
                    after, _ = desk.wait_for_news(after)

            wait_for_more(0)
            bands.hear(conn, job.id, "MW", meters)
            wait_for_more(readings())
            with desk.book() as book:
                self.assertEqual([r.struck for r in book.seen.kept if r.struck], [])
                values = [r.value for r in book.seen.kept]
            self.assertLess(max(values) / min(values), 1.1, "read with the generator and the lead elsewhere")

    def test_a_reading_that_had_not_come_to_rest_puts_no_level_out_of_reach(self) -> None:
        with self.workshop.store() as conn:
            job = job_of(conn, ALIGNED_NEXT)
            band = model_of_dossier(conn, job.dossier_id).bands[1]
        meters = self.workshop.meters_for(job)
        assert meters is not None and meters.practice is not None
        meters.practice.power(1.0)
        meters.practice.let_pass(120.0)
        settled, count = soundings.settled, itertools.count()

        def astray(of: Meters) -> float:
            return settled(of) * (1e-4 if next(count) in (3, 4) else 1.0)

        with mock.patch.object(soundings, "settled", astray):
            heard = soundings.hear(meters, band, dial_hz=bands.middle_of(band), point="aerial-socket", wanted_v=0.387)
        self.assertIsNotNone(heard.level_v)

    def test_real_instruments_that_hang_on_nothing_hear_and_see_nothing(self) -> None:
        with self.workshop.store() as conn:
            job = job_of(conn, DUNLIN)
            assert self.workshop.meters_for(job) is not None
            model = model_of_dossier(conn, job.dossier_id)
        equipment = Equipment(clock=self.workshop.clock, links=self.workshop.stand_ins.link)
        self.addCleanup(equipment.close)
        equipment.connect({k: r for k, r in self.workshop.stand_ins.resources().items() if k != "practice-set"})
        bench = Meters(equipment)
        scan = soundings.scan(bench, "IFT1-p", centre_hz=model.if_hz)
        self.assertFalse(coils.dip(f_hz=scan.frequencies_hz, v=scan.volts).seen)
        heard = soundings.hear(bench, model.bands[0], dial_hz=950e3, point="aerial-socket", wanted_v=0.387)
        self.assertEqual(heard, (False, None, None))
        with core_at(bench, model.core_of("IFT1-p"), "middle"):
            pass  # a person turns it
        with self.assertRaises(FieldsRefused) as caught:
            travel_percent(bench, model.adjusters[0])
        self.assertIn("judge it by eye", str(caught.exception))

    def test_a_job_with_typed_readings_has_no_meters_and_what_is_not_there_is_said(self) -> None:
        with self.workshop.store() as conn:
            self.assertIsNone(self.workshop.meters_for(job_of(conn, TYPED)))
        bare = Meters(Equipment())
        for ask in (lambda: bare.volts("rail"), lambda: bare.henries("L1"), lambda: bare.part("R1", kind="resistor", in_circuit=False)):
            with self.assertRaises(FieldsRefused) as caught:
                ask()
            self.assertIn("Add it on the instruments’ page", str(caught.exception))
        with self.assertRaises(FieldsRefused):
            safe_start.let_pass(bare, 60.0)
