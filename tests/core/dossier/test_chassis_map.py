import unittest
from dataclasses import replace

from calm_needle.core.dossier.chassis_map import Mark, count_sentence, counts, label_place, neighbours, region_at, too_near, with_places
from tests.support import dossiers

MODEL = dossiers.model("stannard-seven")


def mark(label: str, x_mm: float, y_mm: float, side: str = "above", kind: str = "trimmer") -> Mark:
    return Mark(label, kind, side, x_mm, y_mm, "")  # type: ignore[arg-type]


FOUND = [mark(a.id, a.x_mm, a.y_mm, a.side, a.kind) for a in MODEL.adjusters]


class Counting(unittest.TestCase):
    def test_all_found_something_missing_something_besides(self) -> None:
        self.assertEqual(count_sentence(MODEL, FOUND), "All that is on paper was found, and nothing besides.")
        self.assertIn("On paper and not found: IFT1-p", count_sentence(MODEL, FOUND[1:]))
        self.assertIn("not turned before it is known", count_sentence(MODEL, [*FOUND, mark("X1", 10, 10)]))
        trimmers = next(c for c in counts(MODEL, FOUND[1:]) if c.kind == "trimmer")
        self.assertEqual((trimmers.on_paper - trimmers.found, trimmers.missing), (1, ("IFT1-p",)))

    def test_a_stranger_that_was_moved_comes_before_everything_else(self) -> None:
        self.assertIn("Moved, and on no paper: red one.", count_sentence(MODEL, FOUND[1:], ["ift1-p", "red one"]))
        self.assertIn("nothing besides", count_sentence(MODEL, FOUND, ["ift1-p", MODEL.adjusters[2].name.upper()]))

    def test_a_place_is_called_by_its_region_or_by_what_is_nearest(self) -> None:
        region = MODEL.regions[0]
        inside = {"x_mm": region["x_mm"] + region["width_mm"] / 2, "y_mm": region["y_mm"] + region["depth_mm"] / 2}
        self.assertEqual(region_at(MODEL, **inside), region["name"])
        bare = replace(MODEL, regions=())
        tube = next(m for m in MODEL.landmarks if m.shape == "round")
        self.assertEqual(region_at(bare, x_mm=tube.x_mm + 1.0, y_mm=tube.y_mm), f"beside {tube.label}")
        self.assertEqual(region_at(replace(bare, landmarks=()), x_mm=1.0, y_mm=1.0), "")

    def test_a_test_point_of_one_s_own_is_no_stranger(self) -> None:
        self.assertIn("nothing besides", count_sentence(MODEL, [*FOUND, mark("rail tag", 10, 10, kind="test point")]))


class Neighbours(unittest.TestCase):
    def test_left_and_right_are_as_one_looks_at_that_side(self) -> None:
        for side, words in (("above", "B 30 mm to the right"), ("below", "B 30 mm to the left")):
            self.assertEqual(neighbours("A", [mark("A", 100, 50, side), mark("B", 130, 52, side)]), [words])

    def test_nearest_first_and_what_is_through_the_chassis(self) -> None:
        marks = [mark("A", 100, 50), mark("far", 200, 50), mark("near", 100, 70), mark("core", 102, 51, "below")]
        self.assertEqual(
            neighbours("A", marks), ["near 20 mm nearer", "far 100 mm to the right", "core on the other side of the same place"]
        )

    def test_labels_of_a_pair_go_apart_and_two_do_not_stand_in_one_hole(self) -> None:
        pair = [mark("A", 100, 50), mark("B", 120, 50)]
        self.assertEqual([label_place(m, pair) for m in pair], ["left", "right"])
        turned = [m._replace(side="below") for m in pair]
        self.assertEqual([label_place(m, turned) for m in turned], ["right", "left"])
        self.assertEqual(label_place(pair[0], pair[:1]), "above")
        self.assertEqual(too_near(mark("C", 101, 51), pair), "A")
        self.assertIsNone(too_near(mark("A", 101, 51), pair))
        self.assertIsNone(too_near(mark("C", 101, 51, "below"), pair))


class Placing(unittest.TestCase):
    def test_only_what_was_found_moves(self) -> None:
        moved = with_places(MODEL, [mark("IFT1-p", 1.0, 2.0, "below")])
        self.assertEqual((moved.adjuster("IFT1-p").x_mm, moved.adjuster("IFT1-p").side), (1.0, "below"))
        self.assertEqual(moved.adjuster("IFT1-s"), MODEL.adjuster("IFT1-s"))
        self.assertIs(with_places(MODEL, [mark("X9", 1, 2)]), MODEL)
        self.assertEqual(replace(moved, adjusters=MODEL.adjusters), MODEL)
