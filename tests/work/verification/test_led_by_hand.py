import math

import numpy as np

from calm_needle.bench.ears import Ears, Source
from calm_needle.clock import SYSTEM
from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.errors import FieldsRefused, NotFound
from calm_needle.store import led_searches
from calm_needle.store import repairs as repair_store
from calm_needle.work.jobs import job_files
from calm_needle.work.verification import led_by_hand, measuring
from tests.core.physics.test_heard import mixed
from tests.support.virtual_clock import VirtualClock
from tests.work.verification.test_measuring import TYPED, OfAJob

NEEDS_V = 14e-6


class LedByHand(OfAJob):
    def begin(self, by: str = "s-plus-n", **form: str) -> int:
        usual = {"band": "MW", "definition": DEFINITIONS[by].words, "coupling": "dummy aerial", "cover": "on"}
        return led_by_hand.begin(self.conn, TYPED, {**usual, **form})

    def read(self, search_id: int, level: str, **shown: str) -> led_by_hand.Search:
        led_by_hand.add(self.conn, TYPED, search_id, {"level_v": level, **shown})
        return led_by_hand.view(self.conn, TYPED, search_id)

    def to_the_end(self, search_id: int) -> led_by_hand.Search:
        search = led_by_hand.view(self.conn, TYPED, search_id)
        while (level_v := search.led.level_v) is not None:
            apart = 10.0 + 0.95 * 20.0 * math.log10(level_v / NEEDS_V)
            search = self.read(search_id, f"{level_v:.4g}", high=f"{0.05 * 10 ** (apart / 20.0):.4g}", low="50m")
        return search

    def test_by_ear_an_empty_field_is_what_is_heard_and_the_level_is_found(self) -> None:
        for by, wanted_db in (("sinad", 12.0), ("s-plus-n", 10.0)):
            search_id, ears, count = self.begin(by), Ears(clock=VirtualClock()), 0
            while (level_v := led_by_hand.view(self.conn, TYPED, search_id).led.level_v) is not None:
                noise = 0.2 / math.sqrt(2.0) / math.sqrt(10.0 ** (wanted_db / 10.0) - 1.0) * NEEDS_V / level_v
                sound = mixed(rate=44.1e3, noise=noise, seed=count).samples
                for block in np.array_split(np.clip(sound, -1.0, 1.0), 20):
                    sent = (block * 32767.0).astype("<i2").tobytes()
                    ears.take(sent, source=Source("line", 44.1e3), number=count)
                    count += len(block)
                led_by_hand.add(self.conn, TYPED, search_id, {"level_v": f"{level_v:.4g}"}, ears)
            search = led_by_hand.view(self.conn, TYPED, search_id)
            assert search.led.found
            self.assertTrue(search.led.done)
            self.assertLess(abs(20.0 * math.log10(search.led.found.level_v / NEEDS_V)), 0.7, by)
            self.assertEqual({t.shown for t in search.tries}, {"by ear"})

    def test_while_the_attenuator_is_turned_it_is_said_which_way_by_what_is_heard(self) -> None:
        search_id = self.begin("sinad")
        said = []
        for sinad_db in (30.0, 15.5, 13.0, 12.0, 10.5, 3.0):
            ears, count = Ears(clock=VirtualClock()), 0
            noise = 0.2 / math.sqrt(2.0) / math.sqrt(10.0 ** (sinad_db / 10.0) - 1.0)
            for block in np.array_split(np.clip(mixed(rate=44.1e3, noise=noise, seed=5).samples, -1.0, 1.0), 20):
                ears.take((block * 32767.0).astype("<i2").tobytes(), source=Source("line", 44.1e3), number=count)
                count += len(block)
            now = led_by_hand.now(self.conn, TYPED, search_id, ears)
            assert now
            said.append(now.sentence)
        self.assertEqual(said, ["Less.", "A little less.", "A hair less.", "Here: read it.", "A hair more.", "More."])
        self.assertIsNone(led_by_hand.now(self.conn, TYPED, search_id, Ears()))

    def test_by_ear_only_while_a_page_listens_and_only_what_one_listening_tells(self) -> None:
        quieting, sinad = self.begin("quieting"), self.begin("sinad")
        for search_id, ears in ((quieting, Ears()), (sinad, Ears()), (sinad, None)):
            with self.assertRaises(FieldsRefused):
                led_by_hand.add(self.conn, TYPED, search_id, {"level_v": "9u"}, ears)
        self.assertEqual([led_by_hand.view(self.conn, TYPED, n).can_be_heard for n in (quieting, sinad)], [False, True])

    def test_what_it_comes_to_is_a_measurement_by_hand_with_its_uncertainty(self) -> None:
        search_id = self.begin()
        search = self.to_the_end(search_id)
        self.assertTrue(search.led.done)
        kept = led_by_hand.keep(self.conn, TYPED, search_id)
        taken = next(t for t in measuring.taken(self.conn, TYPED) if t.id == kept)
        self.assertEqual((taken.source, taken.band, taken.cover, taken.values["definition"]), ("by hand", "MW", "on", "s-plus-n"))
        assert taken.main.value and taken.sigma
        self.assertLess(abs(20.0 * math.log10(taken.main.value / NEEDS_V)), 0.3)
        self.assertGreater(taken.sigma, 0.2)  # the generator's own, which nobody has checked here, is in it
        self.assertEqual(taken.conditions["tries"], len(search.tries))
        self.assertEqual(led_by_hand.open_of(self.conn, TYPED), [])
        with self.assertRaises(FieldsRefused):
            led_by_hand.keep(self.conn, TYPED, search_id)

    def test_each_definition_asks_for_what_its_meter_shows(self) -> None:
        asks = {by: [a.label for a in led_by_hand.view(self.conn, TYPED, self.begin(by)).asks] for by in ("s-plus-n", "sinad", "quieting")}
        self.assertEqual(asks["s-plus-n"], ["Output, modulation on", "Output, modulation off"])
        self.assertEqual(asks["sinad"], ["SINAD on the meter"])
        self.assertEqual(asks["quieting"], ["Output, generator’s output off", "Output, modulation off"])
        alone = led_by_hand.view(self.conn, TYPED, self.begin("standard-output"))
        self.assertEqual([a.label for a in alone.asks], ["Output, modulation on"])

    def test_slips_are_refused_and_nothing_is_kept(self) -> None:
        search_id = self.begin()
        for field, form in (
            ("level_v", {"level_v": "100", "high": "1", "low": "0.1"}),  # 100 µV is meant
            ("low", {"level_v": "100u", "high": "1", "low": "-20dB"}),
            ("low", {"level_v": "100u", "high": "1", "low": ""}),
            ("high", {"level_v": "100u", "high": "0", "low": "0.1"}),
            ("low", {"level_v": "100u", "high": "1000", "low": "1u"}),
        ):
            with self.subTest(form), self.assertRaises(FieldsRefused) as caught:
                led_by_hand.add(self.conn, TYPED, search_id, form)
            self.assertIn(field, caught.exception.faults)
        self.assertEqual(led_searches.tries_of(self.conn, search_id), [])
        with self.assertRaises(FieldsRefused) as caught:
            led_by_hand.begin(self.conn, TYPED, {"band": "X"})
        self.assertEqual(set(caught.exception.faults), {"band", "definition", "coupling", "cover"})
        with self.assertRaises(NotFound):
            led_by_hand.view(self.conn, 1, search_id)  # another job's

    def test_a_reading_taken_back_stays_struck_and_counts_no_more(self) -> None:
        search_id = self.begin()
        self.read(search_id, "100u", high="1", low="1.9")  # read the wrong way round
        led_by_hand.take_back(self.conn, TYPED, search_id)
        search = led_by_hand.view(self.conn, TYPED, search_id)
        self.assertEqual((len(search.tries), search.last), (1, None))
        self.assertIn("Set the generator", search.led.advice.sentence)
        with self.assertRaises(FieldsRefused):
            led_by_hand.take_back(self.conn, TYPED, search_id)

    def test_what_was_read_before_a_part_was_changed_counts_no_more(self) -> None:
        self.to_the_end(search_id := self.begin())
        repair_store.add_repair(self.conn, job_id=TYPED, part="C8", what="replaced", value=None, words="", at_utc=SYSTEM.text())
        self.assertFalse(led_by_hand.view(self.conn, TYPED, search_id).led.done)
        with self.assertRaises(FieldsRefused):
            led_by_hand.keep(self.conn, TYPED, search_id)

    def test_it_goes_with_the_job_into_its_file(self) -> None:
        self.to_the_end(search_id := self.begin())
        led_by_hand.keep(self.conn, TYPED, search_id)
        self.begin("sinad")
        content = job_files.write(self.conn, self.workshop.photographs, TYPED)
        again = job_files.take_in(self.conn, self.workshop.photographs, content, name="job.json")
        self.assertEqual(job_files.write(self.conn, self.workshop.photographs, again), content)
        self.assertEqual(len(led_by_hand.open_of(self.conn, again)), 1)
