import random
import unittest

from calm_needle.core.soundness.power import power_after, why_not_heard, why_not_off
from calm_needle.core.soundness.safe_start import MAINS, Logged

DETAIL: dict[str, dict[str, object]] = {"current": {"a": 0.05}, "rail": {"point": "rail", "v": 240.0}, "smoke": {"words": ""}}


def log(*kinds: str) -> list[Logged]:
    """Entries a minute apart; rung0 to rung2 are the rungs, over is a current that is too high."""
    out = []
    for n, kind in enumerate(kinds, start=1):
        name = "rung" if kind.startswith("rung") else "current" if kind == "over" else kind
        detail = {"rung": int(kind[-1])} if name == "rung" else {"a": 9.0} if kind == "over" else DETAIL.get(kind, {})
        out.append(Logged(n, name, 60.0 * n, detail))
    return out


class WhetherItIsOn(unittest.TestCase):
    def test_on_from_the_first_rung_until_somebody_says_that_it_is_off(self) -> None:
        for kinds, state, live, since in (
            ((), "", True, None),
            (("look",), "", True, None),
            (("rung0",), "on", True, 1),
            (("rung0", "rail", "rung1", "rung2", "rail", "finish"), "on", True, 1),
            (("rung0", "finish", "still"), "on", True, 1),
            (("rung2", "off", "rung2"), "on", True, 3),
            (("rung2", "rung0"), "on", True, 2),
            (("rung0", "off"), "off", False, 2),
            (("rung0", "smoke"), "stopped", False, 2),
            (("rung0", "smoke", "cause"), "off", False, 3),
            (("rung0", "over"), "stopped", True, 2),
            (("rung0", "over", "cut"), "stopped", False, 2),
            (("rung0", "smoke", "rung2"), "stopped", True, 2),
        ):
            with self.subTest(kinds):
                power = power_after(log(*kinds), rungs=MAINS)
                self.assertEqual((power.state, power.live, power.since), (state, live, since))

    def test_only_off_cut_smoke_or_a_cause_ever_make_it_safe(self) -> None:
        rng = random.Random(23)
        for _ in range(400):
            kinds = ["rung0"] + [rng.choice(("rail", "current", "finish", "still", "look", "over", "rung1", "rung2")) for _ in range(8)]
            self.assertTrue(power_after(log(*kinds), rungs=MAINS).live, kinds)

    def test_behind_a_limiter_nothing_is_compared_and_straight_on_nothing_is_said(self) -> None:
        behind = power_after(log("rung0"), rungs=MAINS)
        self.assertIn("behind a 40 W lamp, at 35 %", why_not_heard(behind, since="10:00"))
        self.assertEqual(why_not_heard(power_after(log("rung2"), rungs=MAINS), since="10:00"), "")
        self.assertEqual(why_not_off(power_after(log("off"), rungs=MAINS), since="10:00"), "")
        self.assertIn("since 10:00", why_not_off(behind, since="10:00"))
