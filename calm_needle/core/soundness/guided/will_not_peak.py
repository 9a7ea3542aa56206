"""«Will not peak»: peaks weak and unsteady, and one cure does not cure. There may be several causes, so every gate is gone through.

It closes only when the core is inside its winding, the rails are right, leakage stays low warm, and the reading repeats over mode
changes. Each gate that fails is a fault of its own.
"""

import math

from calm_needle.core.soundness.guided.piece import Answers, Ask, Piece, Stage, spread
from calm_needle.core.verdict import Verdict

INSIDE_PERCENT = (8.0, 92.0)
WARM_MINUTES = 10.0
LEAK_LEAST_OHM = 2e6
LEAK_FALL = 3.0  # a leak that falls this much while it warms is a warm fault
REPEATS_DB, UNSTEADY_DB = 0.5, 1.5
LEAST_REPEATS = 5


def _core(a: Answers) -> Verdict:
    at = a.number("core_percent")
    if a.text("seen_inside") == "no":
        return Verdict("stop", "The core is not in its winding: it can have no peak there. Bring it in before anything else is judged.")
    if not INSIDE_PERCENT[0] <= at <= INSIDE_PERCENT[1]:
        return Verdict("stop", f"The best place is {at:.0f}\u00a0% along, at a stop: the circuit wants more or less than it has.")
    return Verdict("good", f"The core works {at:.0f}\u00a0% along its travel, inside the winding.")


def _rails(a: Answers) -> Verdict:
    off = a.number("rail_percent")
    if abs(off) > a.maybe("rail_tolerance_percent", 10.0):
        return Verdict("stop", f"The rail is {off:+.0f}\u00a0% off the book’s: find that first.".replace("-", "−"))
    if not a.fact("start_done", False):
        return Verdict("watch", "Right now; but the safe start has not been watched to its end, so a sag would not have been seen.")
    return Verdict("good", "Rails right, and watched warm.")


def judge_leak(*, cold_ohm: float, warm_ohm: float, minutes: float) -> Verdict:
    """Return what a leakage says, cold and after so many minutes warm. A part is not cleared before it is warm."""
    if cold_ohm < LEAK_LEAST_OHM and warm_ohm > cold_ohm / LEAK_FALL:
        return Verdict("stop", "It leaks cold as it does warm: replace it. Warmth has nothing to do with it.")
    if warm_ohm < LEAK_LEAST_OHM:
        return Verdict("stop", "It leaks when warm: replace it.")
    if minutes < WARM_MINUTES:
        return Verdict(
            "watch", f"Read after {minutes:.0f} min. A warm fault does not show before {WARM_MINUTES:.0f}: wait, and read again."
        )
    if warm_ohm * LEAK_FALL < cold_ohm:
        return Verdict("watch", "It falls as it warms, though it is not low yet: look at it again after an hour.")
    return Verdict("good", f"No leak after {minutes:.0f} min warm.")


def _leak(a: Answers) -> Verdict:
    return judge_leak(cold_ohm=a.number("leak_cold_ohm"), warm_ohm=a.number("leak_warm_ohm"), minutes=a.number("warm_minutes"))


def judge_repeats(readings: list[float]) -> Verdict:
    """Return what readings over changes of mode or relay cycles say: they repeat, or a contact is dirty. N readings, V or another ratio."""
    decibels = 20.0 * math.log10(spread(readings))
    evidence = (f"{decibels:.1f} dB between the largest and the least of {len(readings)}",)
    if len(readings) < LEAST_REPEATS:
        return Verdict("stop", f"{LEAST_REPEATS} times or more: once or twice proves nothing.", evidence)
    if decibels > UNSTEADY_DB:
        return Verdict("stop", "It does not repeat: a dirty contact or relay in the path. Clean it, then cycle it again.", evidence)
    if decibels > REPEATS_DB:
        return Verdict("watch", "It nearly repeats: clean the contacts in the path while it is open.", evidence)
    return Verdict("good", "It repeats.", evidence)


def _repeats(a: Answers) -> Verdict:
    return judge_repeats(a.numbers("repeats_v"))


LEAK_ASKS = (
    Ask("leak_cold_ohm", "Leakage, cold", "Ω"),
    Ask("leak_warm_ohm", "and warm", "Ω"),
    Ask("warm_minutes", "after minutes", "", "ten or more", known="minutes_on"),
)
REPEAT_ASK = Ask("repeats_v", "Reading each time", "V", "five or more, parted by semicolons", many=True)
PIECE = Piece(
    "will-not-peak",
    "It will not peak",
    "peaks are weak and unsteady, and one cure has not cured it",
    (
        Stage(
            "core",
            "Core inside its winding",
            "A core that was driven out has no peak.",
            (
                Ask("seen_inside", "Seen inside the winding?", choices=("yes", "no")),
                Ask("core_percent", "Best place along the travel", "%"),
            ),
            _core,
        ),
        Stage(
            "rails",
            "Rails right",
            "A weak rail makes every peak weak.",
            (
                Ask("rail_percent", "Rail off the book’s by", "%", known="rail_percent"),
                Ask("rail_tolerance_percent", "allowed", "%", "left empty: 10 %", optional=True, known="rail_tolerance_percent"),
            ),
            _rails,
        ),
        Stage("leak", "Leakage warm", "After minutes, not at once.", LEAK_ASKS, _leak),
        Stage("repeats", "Repeats over mode changes", "Change band or mode and come back, each time.", (REPEAT_ASK,), _repeats),
    ),
    all_gates=True,
    follow=("peak it again", "each gate that failed stays in the record as a fault of its own"),
    hazards=("hot", "brittle"),
)
