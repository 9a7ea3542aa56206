"""The modelled hand: turns as the advice says, at a human pace, with a human's overshoot.

For rehearsals and for the demo world's older jobs. Knows only what a person at the bench knows: what is to be done next. Whether anybody
counts its turns or not, it says when it turns back.
"""

import random
from collections import deque
from typing import NamedTuple

from calm_needle.core.procedure.judge import Move

SPEED_TURNS_S = 0.22  # how fast a core is turned while searching
CLOSE_TURNS_S = 0.06  # and when coming back to a crest
RUSHING_DB, RUSHING_SHARE, CALMS_S = 0.5, 0.2, 0.5  # a needle that runs so far at once makes anybody turn slower, until it is calm
ANSWER_S = 1.2  # s that a hand which has turned back waits for the needle to answer


ARRIVES_S, EASES_S, LEAST_EASE = 1.5, 0.4, 0.02  # in what time it likes to arrive; how soon it eases; how much slower it can turn at all

FINE_TURNS, LEAST_TOUCH = 12.0, 0.125  # of travel, below which an adjuster is turned the slower the less it has; and how slowly at least


def touch_of(travel_turns: float) -> float:
    """Return how fast a hand turns an adjuster of so much travel, times as fast as a core: of a trimmer a few degrees are a lot."""
    return min(1.0, max(LEAST_TOUCH, travel_turns / FINE_TURNS))


class Manner(NamedTuple):
    """How somebody turns: unsteadiness (share of the speed at each look), seconds to react, seconds from turning back to the key."""

    unsteady: float
    reaction_s: float
    key_late_s: float


MANNERS = {"steady": Manner(0.1, 0.2, 0.15), "average": Manner(0.2, 0.3, 0.25), "shaky": Manner(0.4, 0.5, 0.5)}


class Hand:
    """Turns one adjuster. next_turn() is asked at every reading, dt_s apart. `turned_back`: it has just changed its way."""

    def __init__(self, *, seed: int, spell: int = 0, manner: Manner = MANNERS["average"], touch: float = 1.0) -> None:
        self.manner, self._touch = manner, touch
        # The pace is the person's; the rest is as it comes, each time that an adjuster is taken in hand.
        self._pace = random.Random(f"{seed} pace").uniform(0.85, 1.15)
        self._rng = random.Random(f"{seed} hand {spell}")
        self._way = self._rng.choice((-1.0, 1.0))
        self._quiet_s = 0.0
        self._left: float | None = None
        self._running_s = 0.0
        self._ease = 1.0
        self._moves: deque[Move] = deque()
        self.turned_back = False

    def next_turn(self, move: Move, *, dt_s: float) -> float:
        """Return by how much (turns) the hand turns until the next reading."""
        self.turned_back = False
        self._quiet_s = max(0.0, self._quiet_s - dt_s)
        unsteady = self._touch * self._pace * (1.0 + self.manner.unsteady * self._rng.gauss(0.0, 1.0))
        if move.turns is None:
            # What is said reaches the hand a moment later. Where it is told how far, it looks at its tool and not at the needle.
            self._moves.append(move)
            move = self._moves[0] if len(self._moves) * dt_s <= self.manner.reaction_s else self._moves.popleft()
        match move.way:
            case "rest" | "wait" | "read" | "sweep" | "answer":
                return 0.0
            case "turn_back" if move.turns is not None:
                self._way = 1.0 if move.turns > 0 else -1.0
            case "turn_back":
                if self._quiet_s == 0.0:
                    self._way, self._quiet_s, self.turned_back = -self._way, ANSWER_S, True
                return self._way * (CLOSE_TURNS_S if move.short else SPEED_TURNS_S) * self._eased(move, dt_s) * dt_s * unsteady
            case "approach" if move.turns is not None:
                most = self._touch * CLOSE_TURNS_S * dt_s
                self._way = 1.0 if move.turns > 0 else -1.0
                return min(max(move.turns, -most), most)
            case "approach" if move.near_s is not None:
                return self._way * SPEED_TURNS_S * self._eased(move, dt_s) * dt_s * unsteady
            case "approach":
                return self._way * CLOSE_TURNS_S * self._slower(move, dt_s) * dt_s * unsteady
        return self._way * SPEED_TURNS_S * self._ease * dt_s * unsteady

    def meet_stop(self) -> None:
        """It feels the end of the travel, and turns back."""
        self._way, self._quiet_s, self.turned_back = -self._way, ANSWER_S, True

    def _eased(self, move: Move, dt_s: float) -> float:
        """How much slower than at its fastest it turns, as it comes nearer or is still far."""
        if move.near_s is None:
            return 1.0
        self._ease *= min(max(move.near_s / ARRIVES_S, 0.5), 1.5) ** (dt_s / EASES_S)
        self._ease = min(1.0, max(LEAST_EASE, self._ease))
        return self._ease

    def _slower(self, move: Move, dt_s: float) -> float:
        """How much slower it turns while the needle runs, and for a moment after."""
        left, before = move.short or 0.0, self._left
        self._left = left
        self._running_s = CALMS_S if before is not None and abs(left - before) > RUSHING_DB else max(0.0, self._running_s - dt_s)
        return RUSHING_SHARE if self._running_s else 1.0
