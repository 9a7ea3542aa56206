"""The modelled hand: turns as the advice says, at a human pace, with a human's overshoot.

For rehearsals and for the demo world's older jobs. Knows only what a person at the bench knows: what is to be done next.
"""

import random

from calm_needle.core.procedure.judge import Move

SPEED_TURNS_S = 0.22  # how fast a core is turned while searching
CLOSE_TURNS_S = 0.06  # and when coming back to a crest
RUSHING_DB = 0.25  # a needle that moves so far between two readings makes anybody turn slower
REACTION_S = 0.4  # s before a change of advice reaches the hand


class Hand:
    """Turns one adjuster. next_turn() is asked at every reading, dt_s apart."""

    def __init__(self, *, seed: int) -> None:
        self._rng = random.Random(f"{seed} hand")
        self._way = self._rng.choice((-1.0, 1.0))
        self._quiet_s = 0.0
        self._least_left = 0.0
        self._left = 0.0

    def next_turn(self, move: Move, *, dt_s: float) -> float:
        """Return by how much (turns) the hand turns until the next reading."""
        self._quiet_s = max(0.0, self._quiet_s - dt_s)
        unsteady = 1.0 + 0.2 * self._rng.gauss(0.0, 1.0)
        match move.way:
            case "rest" | "wait" | "read" | "sweep" | "answer":
                return 0.0
            case "turn_back" if move.turns is not None:
                self._way = 1.0 if move.turns > 0 else -1.0
            case "turn_back" if self._quiet_s == 0.0:
                self._way, self._quiet_s = -self._way, 3.0 * REACTION_S
            case "approach":
                if move.turns is not None:
                    most = CLOSE_TURNS_S * dt_s
                    return min(max(move.turns, -most), most)
                left = move.short or 0.0
                self._least_left = min(self._least_left, left)
                if self._quiet_s == 0.0 and left > self._least_left + 0.15:
                    self._way, self._quiet_s, self._least_left = -self._way, 2.0 * REACTION_S, left
                rushing = abs(left - self._left) > RUSHING_DB
                self._left = left
                return self._way * CLOSE_TURNS_S * (0.2 if rushing else 1.0) * dt_s
        return self._way * SPEED_TURNS_S * dt_s * unsteady
