"""What of a journal is true now: what replaces, invalidates, discards and closes what."""

import sys
import tempfile
import types
import unittest
from pathlib import Path
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from calm_needle.clock import seconds
from calm_needle.core.dossier.model import Model
from calm_needle.core.facts import kinds
from calm_needle.core.facts.fact import Fact
from calm_needle.core.facts.fold import State, findings, fold, why
from calm_needle.core.facts.opened import Open, open_now
from calm_needle.core.facts.power_ups import power_ups, with_power
from calm_needle.core.facts.registry import kinds_of_fact
from calm_needle.core.soundness.entry_kinds import KINDS as ENTRIES
from calm_needle.core.soundness.safe_start import MAINS
from tests.support.dossiers import model
from tests.support.properties import steady

FULL = len(MAINS) - 1
NEW_KIND = """
from calm_needle.core.facts.kind import FactKind, Want

def wants(fact, context):
    return Want("Smells.", "Air it", "notes")


KINDS = (FactKind("smell", "Smell", "notes", lambda fact, model: fact.detail["words"], wants=wants),)
"""


class Journal:
    """Facts one after another, a minute apart."""

    def __init__(self) -> None:
        self.model: Model = model("halvern-6b")
        self.facts: list[Fact] = []
        self.minute = 0

    def add(self, kind: str, subject: str = "set", *, about: int | None = None, after_min: int = 1, **detail: Any) -> int:
        self.minute += after_min
        at = f"2026-11-24T{8 + self.minute // 60:02d}:{self.minute % 60:02d}:00.000Z"
        self.facts.append(Fact(len(self.facts) + 1, kind, subject, detail, at, about))
        return len(self.facts)

    def power_up(self, *volts: float, point: str = "rail", rung: int = FULL, off: bool = True) -> list[int]:
        """On, a reading every three minutes, off."""
        self.add("power step", rung=rung)
        read = [self.add("rail", f"point:{point}", after_min=3, v=v, point=point) for v in volts]
        if off:
            self.add("power off")
        return read

    def repair(self, part: str, what: str = "replaced") -> int:
        return self.add("repair", f"part:{part}", what=what, value=None, words="")

    def tested(self) -> None:
        self.add("quick test", outcome="better", words="1 V more")

    @property
    def states(self) -> list[State]:
        return fold(with_power(self.facts, rungs=MAINS, seconds=seconds), self.model)

    @property
    def open(self) -> list[Open]:
        return open_now(self.states, findings(self.states, self.model), self.model)

    def status(self, number: int) -> str:
        return self.states[number - 1].status

    @property
    def asks(self) -> list[str]:
        return [f"{o.want.words} [{o.want.act}]" for o in self.open]


class Rails(unittest.TestCase):
    def setUp(self) -> None:
        self.journal = Journal()

    def test_a_rail_out_of_tolerance_stays_open_after_the_set_is_switched_off_and_on_again_cold(self) -> None:
        (low,) = self.journal.power_up(199.0)
        self.assertRegex(self.journal.asks[0], r"^Smoothed rail: 199.V, −19.8 %: out of its 8 %\. \[Find the fault\]$")
        (cold,) = self.journal.power_up(88.0, rung=0)
        self.assertEqual((self.journal.status(low), self.journal.status(cold)), ("valid", "valid"))
        self.assertIn("199", self.journal.asks[0])

    def test_a_later_warm_reading_takes_its_place(self) -> None:
        (low,) = self.journal.power_up(199.0)
        (good,) = self.journal.power_up(247.0)
        self.assertEqual((self.journal.status(low), self.journal.status(good), self.journal.asks), ("replaced", "valid", []))

    def test_a_reading_before_heaters_are_hot_is_not_judged_and_takes_the_place_of_none(self) -> None:
        (low,) = self.journal.power_up(199.0)
        self.journal.add("power step", rung=FULL, after_min=5)
        self.journal.facts[-1] = self.journal.facts[-1]._replace(happened_utc="2026-11-24T09:00:00.000Z")
        self.journal.minute = 60
        high = self.journal.add("rail", "point:rail", after_min=0, v=300.0, point="rail")
        self.assertEqual((self.journal.status(low), self.journal.status(high)), ("valid", "valid"))
        self.assertIn("199", self.journal.asks[0])

    def test_a_repair_in_its_stage_asks_for_it_to_be_measured_again_and_one_elsewhere_does_not(self) -> None:
        (low,) = self.journal.power_up(199.0)
        self.journal.repair("C16")
        self.journal.tested()
        self.assertEqual(self.journal.status(low), "valid")
        self.journal.repair("C30b", "cleaned")  # not under the iron
        self.journal.tested()
        self.assertEqual(self.journal.status(low), "valid")
        self.journal.repair("C30b")
        self.journal.tested()
        self.assertEqual(self.journal.status(low), "invalidated")
        (asked,) = self.journal.asks
        self.assertIn("Since then: C30b", asked)
        self.assertTrue(asked.endswith("[Measure again]"), asked)
        self.journal.power_up(247.0)
        self.assertEqual(self.journal.asks, [])

    def test_electrodes_count_as_rails_do_but_not_behind_a_limiter(self) -> None:
        self.journal.power_up(20.0, point="V4-k", rung=0)
        self.assertEqual(self.journal.asks, [])
        self.journal.power_up(9.1, point="V4-k")
        self.assertRegex(self.journal.asks[0], r"^V4 cathode: 9.1.V is 49.2.% more than")

    def test_a_sag_is_cleared_by_a_later_watch_and_by_nothing_shorter(self) -> None:
        self.journal.power_up(250.0, 246.0, 242.0, 240.0, 238.0)
        self.assertIn("sags while it warms", self.journal.asks[0])
        self.journal.power_up(250.0)
        self.assertIn("sags while it warms", self.journal.asks[0])
        self.journal.power_up(250.0, 250.0, 250.0, 250.0, 250.0)
        self.assertEqual(self.journal.asks, [])

    def test_a_discarded_reading_counts_for_nothing_and_the_one_before_it_counts_again(self) -> None:
        (low,) = self.journal.power_up(199.0)
        (good,) = self.journal.power_up(247.0)
        self.journal.add("discard", about=good, reason="wrong terminal")
        self.assertEqual((self.journal.status(low), self.journal.status(good)), ("valid", "discarded"))
        self.assertEqual(why(self.journal.states[good - 1], self.journal.model), "wrong terminal")
        self.assertIn("199", self.journal.asks[0])

    def test_power_ups_are_told_apart_each_with_what_ended_it(self) -> None:
        self.journal.power_up(199.0)
        self.journal.power_up(250.0, off=False)
        self.journal.add("smoke", words="from the mains transformer")
        self.journal.add("power cause", words="shorted turns")
        first, second = power_ups([s.fact for s in self.journal.states])
        self.assertEqual((first.facts[-1].kind, [f.kind for f in second.facts[-2:]]), ("power off", ["smoke", "power cause"]))

    @given(steps=st.lists(st.tuples(st.integers(0, FULL), st.floats(150.0, 300.0), st.integers(1, 9)), min_size=1, max_size=12))
    @steady
    def test_of_any_readings_just_one_warm_and_one_cold_count(self, steps: list[tuple[int, float, int]]) -> None:
        journal = Journal()
        for rung, volts, minutes in steps:
            journal.add("power step", rung=rung, after_min=1)
            journal.add("rail", "point:rail", after_min=minutes, v=volts, point="rail")
        rails = [s for s in journal.states if s.fact.kind == "rail"]
        for warm in (True, False):
            mine = [s for s in rails if s.fact.detail["warm"] == warm]
            self.assertEqual([s.status for s in mine], ["replaced"] * (len(mine) - 1) + ["valid"] * bool(mine))
        numbers = [up.number for up in power_ups([s.fact for s in journal.states])]
        self.assertEqual(len(numbers), max(s.fact.detail["power_up"] for s in rails))


class PartsAndRepairs(unittest.TestCase):
    def setUp(self) -> None:
        self.journal = Journal()

    def measured(self, part: str, value: float | None) -> int:
        return self.journal.add("part check", f"part:{part}", value=value, in_circuit=0, replaced=0, marked=None, leads=0.0)

    def test_a_part_out_of_tolerance_wants_a_repair_then_a_test_then_a_reading(self) -> None:
        self.measured("R7", 735e3)
        self.assertTrue(self.journal.asks[0].endswith("[Add repair]"), self.journal.asks)
        self.journal.repair("R7")
        self.assertEqual([a.rsplit("[")[-1] for a in self.journal.asks], ["Measure again]", "Test the repair]"])
        self.journal.tested()
        self.assertEqual([a.rsplit("[")[-1] for a in self.journal.asks], ["Measure again]"])
        self.measured("R7", 470e3)
        self.assertEqual(self.journal.asks, [])

    def test_the_worst_comes_first(self) -> None:
        self.journal.add("prediction", quantity="rail", expected="250 V", by="J.P.", when="at the next change")
        self.journal.add("complaint", words="Hums.", place="")
        self.measured("R7", 735e3)
        self.journal.add("smoke", words="")
        self.assertEqual([o.fact.kind for o in self.journal.open], ["smoke", "part check", "complaint", "prediction"])

    def test_a_complaint_is_closed_by_its_own_retest_and_opened_by_a_later_one(self) -> None:
        first = self.journal.add("complaint", words="Hums.", place="")
        other = self.journal.add("complaint", words="Deaf.", place="short wave")
        self.journal.add("retest", about=first, outcome="gone", words="2 mV of hum", cover="on")
        self.assertEqual([o.fact.id for o in self.journal.open], [other])
        self.journal.add("retest", about=first, outcome="still there", words="20 mV", cover="on")
        self.assertEqual([o.fact.id for o in self.journal.open], [first, other])
        self.assertIn("still there, 20 mV", self.journal.asks[0])

    def test_a_note_is_closed_by_its_outcome_and_reopened(self) -> None:
        note = self.journal.add("suspicion", what="C16 leaks", because="hot valve", test="volts at the grid")
        self.assertEqual(
            self.journal.asks,
            ["Suspected: C16 leaks (because of: hot valve; what would settle it: volts at the grid). [Enter the outcome]"],
        )
        self.journal.add("outcome", about=note, outcome="cleared", words="0.00 V")
        self.assertEqual(self.journal.asks, [])
        self.journal.add("outcome", about=note, outcome=None, words="")
        self.assertEqual([o.fact.id for o in self.journal.open], [note])

    def test_what_was_confirmed_is_a_fault_until_its_own_retest_whatever_a_repair_made_better(self) -> None:
        note = self.journal.add("suspicion", what="C16 leaks", because="hot valve", test="volts at the grid")
        self.journal.add("outcome", about=note, outcome="confirmed", words="0.8 V")
        self.assertEqual(self.journal.asks, ["C16 leaks: confirmed, 0.8 V. [Add repair]"])
        self.journal.repair("C16")
        self.journal.add("quick test", outcome="better", words="hum less, 2 mV")
        self.assertEqual(self.journal.asks, ["C16 leaks: confirmed, 0.8 V. [Retest it]"])
        self.journal.add("outcome", about=note, outcome=None, words="")
        self.journal.add("outcome", about=note, outcome="cleared", words="0.00 V")
        self.assertEqual(self.journal.asks, [])


class Kinds(unittest.TestCase):
    def test_every_kind_of_note_is_a_kind_of_fact(self) -> None:
        self.assertEqual(set(ENTRIES) - set(kinds_of_fact()), set())

    def test_a_new_kind_is_one_new_file(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "smells.py").write_text(NEW_KIND)
            kinds.__path__.append(folder)
            kinds_of_fact.cache_clear()
            try:
                journal = Journal()
                journal.add("smell", words="of pitch")
                self.assertEqual(journal.asks, ["Smells. [Air it]"])
            finally:
                kinds.__path__.remove(folder)
                kinds_of_fact.cache_clear()
                sys.modules.pop("calm_needle.core.facts.kinds.smells", None)

    def test_two_kinds_of_one_name_are_refused(self) -> None:
        twice = types.ModuleType("calm_needle.core.facts.kinds.twice")
        twice.KINDS = (kinds_of_fact()["rail"],)  # type: ignore[attr-defined]
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "twice.py").write_text("")
            sys.modules[twice.__name__] = twice
            kinds.__path__.append(folder)
            kinds_of_fact.cache_clear()
            try:
                self.assertRaisesRegex(ValueError, "called rail", kinds_of_fact)
            finally:
                kinds.__path__.remove(folder)
                kinds_of_fact.cache_clear()
                del sys.modules[twice.__name__]
