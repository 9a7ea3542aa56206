import unittest

from calm_needle.core.soundness.coverage import Picked, compare_modes, dead_zones, judge_coverage, latest_of_each_band
from calm_needle.core.verdict import Verdict

NAMES = {"MW": "medium wave", "SW": "short wave", "LW": "long wave"}
BANDS = {"LW": (150e3, 285e3), "MW": (525e3, 1605e3), "SW": (5.9e6, 18.2e6)}


def swept(dies: object, *, bands: tuple[str, ...] = ("LW", "MW", "SW"), vpp: float = 0.4) -> list[Picked]:
    """A sweep of a set that dies where `dies(share, dial_hz)` says."""
    out = []
    for band in bands:
        low, high = BANDS[band]
        for i in range(11):
            share, dial_hz = i / 10.0, low * (high / low) ** (i / 10.0)
            dead = dies(share, dial_hz)  # type: ignore[operator]
            out.append(Picked(band, dial_hz, share, 0.0 if dead else dial_hz + 468e3, 0.0 if dead else vpp))
    return out


class Coverage(unittest.TestCase):
    def test_one_angle_at_frequencies_octaves_apart_is_the_gang(self) -> None:
        found = judge_coverage(swept(lambda share, _: share < 0.25), names=NAMES)
        self.assertEqual(found.state, "stop")
        self.assertIn("The gang: it dies at one shaft angle", found.sentence)
        self.assertIn("stator to rotor", " ".join(found.evidence))

    def test_bands_that_are_typed_one_by_one_meet_and_the_latest_of_each_counts(self) -> None:
        dies = swept(lambda share, _: share < 0.25)
        typed = [[r for r in dies if r.band == band] for band in ("SW", "MW", "LW")]
        earlier = [r for r in swept(lambda *_: False) if r.band == "SW"]
        self.assertIn("The gang: it dies at one shaft angle", judge_coverage(latest_of_each_band([*typed, earlier]), names=NAMES).sentence)
        mended = latest_of_each_band([[r for r in swept(lambda *_: False) if r.band == band] for band in ("LW", "MW", "SW")] + typed)
        self.assertEqual(judge_coverage(mended, names=NAMES).state, "good")

    def test_a_hole_inside_a_band_is_not_called_its_end(self) -> None:
        found = judge_coverage(swept(lambda _, f: 11.5e6 < f < 13.5e6), names=NAMES)
        self.assertEqual(found.state, "stop")
        self.assertIn("dead inside a band, and runs on either side: short wave between 11", found.sentence)
        self.assertNotIn("dies", found.sentence)

    def test_near_miss_one_frequency_whatever_the_angle_is_the_oscillator_itself(self) -> None:
        near = [Picked("MW", f, s, 0.0 if f > 1.2e6 else f, 0.4) for s, f in ((0.0, 0.6e6), (0.5, 1.1e6), (0.8, 1.4e6), (1.0, 1.6e6))]
        near += [Picked("SW", f, s, 0.0 if f > 1.2e6 else f, 0.4) for s, f in ((0.0, 0.9e6), (0.1, 1.1e6), (0.2, 1.4e6), (1.0, 3.0e6))]
        found = judge_coverage(near, names=NAMES)
        self.assertIn("The oscillator itself", found.sentence)

    def test_one_band_alone_does_not_tell(self) -> None:
        found = judge_coverage(swept(lambda _, f: f > 12e6), names=NAMES)
        self.assertEqual(found.state, "watch")
        self.assertIn("On short wave it dies above", found.sentence)
        self.assertIn("does not tell gang from valve", found.evidence[0])

    def test_a_whole_band_dead_while_others_live_is_that_band_s_own(self) -> None:
        found = judge_coverage(swept(lambda _, f: 500e3 < f < 2e6), names=NAMES)
        self.assertIn("not on medium wave", found.sentence)

    def test_everywhere_dead_nowhere_dead_and_nothing_read(self) -> None:
        self.assertEqual(judge_coverage(swept(lambda *_: True), names=NAMES).state, "stop")
        self.assertEqual(judge_coverage(swept(lambda *_: False), names=NAMES).state, "good")
        self.assertEqual(judge_coverage([], names=NAMES).state, "blank")

    def test_a_feeble_place_is_named(self) -> None:
        readings = swept(lambda *_: False)
        readings[3] = readings[3]._replace(vpp=0.05)
        self.assertIn("Feeble on long wave", " ".join(judge_coverage(readings, names=NAMES).evidence))

    def test_the_edges_lie_half_way_to_where_it_runs(self) -> None:
        zone = dead_zones(swept(lambda share, _: share < 0.25, bands=("MW",)))[0]
        self.assertAlmostEqual(zone.to_share, 0.25)
        self.assertFalse(zone.whole)


class TwoModes(unittest.TestCase):
    """The same oscillator read with the set in two ways."""

    def compare(self, now: list[Picked], then: list[Picked]) -> Verdict:
        return compare_modes(now, then, names=NAMES, how=("narrow filter", "broad"))

    def test_alike_and_by_how_many_decibels(self) -> None:
        found = self.compare(swept(lambda *_: False, vpp=0.4), swept(lambda *_: False, vpp=0.45))
        self.assertEqual(found.state, "good")
        self.assertIn("narrow filter", found.sentence)
        self.assertTrue(all("−1.0 dB" in words for words in found.evidence))

    def test_far_weaker_in_one_names_which(self) -> None:
        found = self.compare(swept(lambda *_: False, vpp=0.1), swept(lambda *_: False, vpp=0.4))
        self.assertEqual((found.state, found.sentence), ("watch", "Far weaker with narrow filter."))
        other = self.compare(swept(lambda *_: False, vpp=0.4), swept(lambda *_: False, vpp=0.1))
        self.assertEqual(other.sentence, "Far weaker with broad.")

    def test_what_runs_in_one_only_comes_first(self) -> None:
        found = self.compare(swept(lambda share, _: share > 0.8), swept(lambda *_: False))
        self.assertEqual(found.state, "stop")
        self.assertIn("runs with broad only", found.evidence[0])
