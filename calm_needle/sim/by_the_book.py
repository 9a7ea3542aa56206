"""The same hand without the program: the dossier's procedure to the letter, each adjuster peaked by eye, round after round.

It turns until the needle has plainly fallen, comes back until it has fallen on the other side, and stops where it stood highest, as near
as an eye tells. What it does not do: measure what the needle does by itself, notice wax, or reckon what another round would gain.
"""

import math
import random
from collections.abc import Callable, Sequence
from typing import NamedTuple

from calm_needle.core.dossier.model import Group, RoundRule, Step
from calm_needle.core.physics.levels import gain_db
from calm_needle.core.procedure.kinds.table import KINDS
from calm_needle.sim.technician import CLOSE_TURNS_S, RUSHING_DB, RUSHING_SHARE, SPEED_TURNS_S, Manner

READING_S = 0.05
PLAINLY_DB = 1.0  # a fall that an eye takes for one
BY_EYE_DB = 0.1  # to which an eye tells that the needle is where it was
MOVES_NOTHING_DB = 0.2  # a round that moves no more ends the alternating where the book gives no rule
MOST_ROUNDS = 6
LONGEST_S = 60.0


class Bench(NamedTuple):
    """What the hand works with. set_up: sets what a step says. read: the level (dB) at equal generator level, time going by. turn: an
    adjuster by so many turns; says whether it met its stop. touch: how fast a hand
    turns it, times as fast as a core. ease: bring the generator to where the meter reads well.
    """

    set_up: Callable[[Step], None]
    read: Callable[[], float]
    turn: Callable[[str, float], bool]
    touch: Callable[[str], float]
    ease: Callable[[], None]
    wait: Callable[[float], None]


class Worked(NamedTuple):
    """How often each adjuster was touched, and how many rounds each group took."""

    touches: dict[str, int]
    rounds: dict[str, int]


def work(groups: Sequence[Group], bench: Bench, *, seed: int, manner: Manner, turns: Callable[[str], bool]) -> Worked:
    """Go through the groups of a phase. turns: whether an adjuster can be turned on this set."""
    rng = random.Random(f"{seed} by the book")
    touches: dict[str, int] = {}
    rounds: dict[str, int] = {}
    for group in groups:
        for number in range(1, _most(group) + 1):
            moved = 0.0
            for step in group.steps:
                bench.set_up(step)
                for adjuster in (a for a in step.adjusters if turns(a)):
                    touches[adjuster] = touches.get(adjuster, 0) + 1
                    moved = max(moved, abs(_peak(bench, adjuster, minimum=KINDS[step.kind].goal == "minimum", rng=rng, manner=manner)))
            rounds[group.id] = number
            if moved < (group.repeat.below if group.repeat and group.repeat.unit == "dB" else MOVES_NOTHING_DB):
                break
    repeated = {g.id for g in groups if _most(g) > 1}
    return Worked(touches, {name: n for name, n in rounds.items() if name in repeated})


def _most(group: Group) -> int:
    rule: RoundRule | None = group.repeat
    return 1 if rule is None else rule.most_rounds or MOST_ROUNDS


def _peak(bench: Bench, adjuster: str, *, minimum: bool, rng: random.Random, manner: Manner) -> float:
    """Peak one adjuster by eye; return what that gained (dB)."""
    sign = -1.0 if minimum else 1.0
    start = best = last = sign * bench.read()
    way, touch = rng.choice((-1.0, 1.0)), bench.touch(adjuster)

    def go(speed: float) -> tuple[bool, float]:
        """Turn for the time of one reading, slower while the needle runs, as any hand does; whether a stop was met, and the level then."""
        nonlocal last
        stopped = bench.turn(adjuster, way * speed * touch * pace[0] * READING_S * (1.0 + manner.unsteady * rng.gauss(0.0, 1.0)))
        level = sign * bench.read()
        pace[0] = RUSHING_SHARE if abs(level - last) > RUSHING_DB * math.sqrt(pace[0]) else min(1.0, pace[0] * 1.3)
        last = level
        return stopped, level

    pace = [1.0]
    for speed in (SPEED_TURNS_S, CLOSE_TURNS_S):
        spent, top = 0.0, sign * bench.read()
        while spent < LONGEST_S:
            stopped, level = go(speed)
            top, spent = max(top, level), spent + READING_S
            if stopped or level < top - PLAINLY_DB:
                break
        best, way = max(best, top), -way
        bench.ease()
    spent, top = 0.0, -math.inf
    while spent < LONGEST_S and (level := sign * bench.read()) < best - BY_EYE_DB:
        top = max(top, level)
        if level < top - PLAINLY_DB:  # it went past: what it had taken for the best was the needle's own
            best, way, top = top, -way, level
        if go(CLOSE_TURNS_S)[0]:
            break
        spent += READING_S
    return sign * bench.read() - start


def level_of(volts: float, *, generator_v: float, reference_v: float) -> float:
    """Return a reading in decibels at equal generator level."""
    return gain_db(from_v=1.0, to_v=max(volts, 1e-9)) - gain_db(from_v=reference_v, to_v=generator_v)
