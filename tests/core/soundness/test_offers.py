"""What the evidence asks for, and which windings are sisters."""

import unittest

from calm_needle.core.soundness.guided.offers import POINTS_TO, Evidence, offers
from calm_needle.core.soundness.guided.pieces import PIECES
from calm_needle.core.soundness.guided.sisters import sisters_of
from calm_needle.core.soundness.parts_sweep import Part


def winding(name: str, ohm: float) -> Part:
    return Part(name, "winding", name, ohm, 15.0, "coils", "", weak=False)


class Offers(unittest.TestCase):
    def test_nothing_found_asks_for_nothing_and_every_offer_is_a_piece_there_is(self) -> None:
        self.assertEqual(offers([]), [])
        self.assertEqual({piece for speaks in POINTS_TO.values() for piece, _ in speaks} - set(PIECES), set())

    def test_an_open_winding_is_spliced_before_it_is_wound_anew_and_outranks_a_core_that_did_not_answer(self) -> None:
        ranked = offers([Evidence("no answer", "IFT2-p", "hardly answers"), Evidence("winding open", "IFT2-p", "reads open")])
        self.assertEqual([o.piece for o in ranked[:3]], ["splice", "open-capacitor", "rewind"])
        self.assertEqual({o.subject for o in ranked[:3]}, {"IFT2-p"})

    def test_what_is_about_one_part_is_not_mixed_with_another_and_what_is_about_the_set_adds_up(self) -> None:
        ranked = offers([Evidence("no answer", "IFT1-p", "a"), Evidence("no answer", "IFT2-p", "b")])
        found = {(o.piece, o.subject): o for o in ranked}
        self.assertEqual(found["open-capacitor", "IFT1-p"].because, ("a",))
        self.assertEqual(found["will-not-peak", ""].because, ("a", "b"))
        self.assertGreater(found["will-not-peak", ""].weight, POINTS_TO["no answer"][1][1])

    def test_a_dead_can_ranks_above_cores_that_answer_and_have_no_peak_however_many(self) -> None:
        live = [Evidence("answers without a peak", "IFT1-p", str(i)) for i in range(5)]
        for found in ([Evidence("no answer", "IFT2-p", "d"), *live], [*live, Evidence("no answer", "IFT2-p", "d")]):
            self.assertEqual((offers(found)[0].piece, offers(found)[0].subject), ("open-capacitor", "IFT2-p"))


class Sisters(unittest.TestCase):
    windings = (winding("IFT1-p", 6.8), winding("IFT2-p", 7.0), winding("L4", 6.9), winding("T2-p", 320.0), winding("T4-s", 30.0))
    work_of = {"IFT1-p": "if", "IFT2-p": "if", "T4-s": "if", "L4": "signal", "T2-p": "audio"}  # noqa: RUF012

    def names(self, subject: str) -> list[str]:
        return [w.id for w in sisters_of(subject, windings=self.windings, work_of=self.work_of)]

    def test_only_windings_of_the_same_work_and_about_the_same_ohms_are_sisters(self) -> None:
        self.assertEqual(self.names("IFT1-p"), ["IFT2-p"])
        self.assertEqual(self.names("L4"), [])
        self.assertEqual(self.names("T2-p"), [])
        self.assertEqual(self.names("nobody"), [])
