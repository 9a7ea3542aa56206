import math
import unittest

from calm_needle.core.soundness.band_health import BandReadings, at_this_hour, judge_bands, judge_whole

BANDS = (("long wave", 150e3), ("medium wave", 525e3), ("short wave", 5.9e6))


def rows(
    *, levels: tuple[float | None, ...] = (30e-6, 25e-6, 20e-6), coils: tuple[float | None, ...] = (28.0, 4.2, 0.4)
) -> list[BandReadings]:
    return [
        BandReadings(name, f, "alive", "alive", level, "dummy aerial", coil)
        for (name, f), level, coil in zip(BANDS, levels, coils, strict=True)
    ]


def state(of: list[BandReadings], band: str) -> str:
    return judge_bands(of)[band].state


class TheHour(unittest.TestCase):
    def test_short_waves_close_after_dark_and_medium_wave_opens(self) -> None:
        self.assertIn("closed", at_this_hour(f_low_hz=17e6, hour=22))
        self.assertIn("near stations only", at_this_hour(f_low_hz=525e3, hour=12))
        self.assertIn("should be there", at_this_hour(f_low_hz=525e3, hour=3))


class Bands(unittest.TestCase):
    def test_alive_sensitive_and_whole_is_passed(self) -> None:
        whole = judge_whole(rows(), judge_bands(rows()))
        self.assertTrue(whole.passed)

    def test_alive_is_not_sensitive(self) -> None:
        deaf = rows(levels=(30e-6, 400e-6, 20e-6))
        self.assertEqual(state(deaf, "medium wave"), "watch")
        self.assertIn("needs 22 dB more than its neighbours", judge_bands(deaf)["medium wave"].sentences[0])
        # six decibels are within what bands differ by
        self.assertEqual(state(rows(levels=(30e-6, 60e-6, 30e-6)), "medium wave"), "good")

    def test_all_alike_may_be_deaf_alike_and_the_papers_tell(self) -> None:
        deaf = [r._replace(level_v=r.level_v * 500.0, book_v=25e-6) for r in rows() if r.level_v]
        self.assertIn("54 dB more than the papers say", judge_bands(deaf)["medium wave"].sentences[0])
        self.assertFalse(judge_whole(deaf, judge_bands(deaf)).passed)
        for off in (
            {"level_v": 25e-6 * 90.0},  # what cores left far off may take
            {"coupling": "loop"},  # not the papers' coupling
            {"book_v": None},
        ):
            mended = [r._replace(**off) for r in deaf]
            self.assertFalse(any("papers" in s for s in judge_bands(mended)["medium wave"].sentences), off)

    def test_levels_with_another_coupling_are_not_compared(self) -> None:
        mixed = rows(levels=(30e-6, 400e-6, 20e-6))
        mixed[1] = mixed[1]._replace(coupling="loop")
        self.assertIn("cannot be compared", judge_bands(mixed)["medium wave"].sentences[0])

    def test_an_open_aerial_coil_is_found_though_the_band_is_alive(self) -> None:
        self.assertEqual(state(rows(coils=(28.0, math.inf, 0.4)), "medium wave"), "stop")
        self.assertEqual(state(rows(coils=(28.0, 4.2, 12.0)), "short wave"), "watch")

    def test_a_row_left_blank_is_not_passed(self) -> None:
        blank = rows(coils=(28.0, None, 0.4))
        self.assertEqual(state(blank, "medium wave"), "blank")
        self.assertIn("Still blank: medium wave", judge_whole(blank, judge_bands(blank)).sentence)

    def test_silent_off_air_may_be_the_hour(self) -> None:
        quiet = [r._replace(off_air="dead", generator=None) for r in rows()]
        self.assertIn("may be the hour", judge_bands(quiet)["short wave"].sentences[0])

    def test_a_band_that_is_dead_and_has_a_level_is_heard_again_and_not_called_either(self) -> None:
        both = [rows()[0]._replace(generator="dead"), *rows()[1:]]
        verdict = judge_bands(both)["long wave"]
        self.assertEqual(verdict.state, "watch")
        self.assertIn("one of the two is wrong", verdict.sentence)

    def test_dead_on_every_band_asks_for_the_generator_to_be_checked(self) -> None:
        dead = [r._replace(off_air="dead", generator="dead", level_v=None) for r in rows()]
        self.assertIn("set known to be good", judge_whole(dead, judge_bands(dead)).sentence)
        one = [dead[0], *rows()[1:]]
        self.assertIn("To be found before aligning: long wave", judge_whole(one, judge_bands(one)).sentence)
