"""Was it the hand? A crest that came again when the hand turned back is believed once the needle stands with the hand off.

A beat or a fading carrier may rise and fall in step with a hand, but it goes on without one. Two questions are put to the levels in time:
    how many stretches of the time in which the hand turned, as long as the hold, were as quiet as the hold was (few, if it was the hand);
    whether one sine explains all of it, hold and all (then it is taken for a beat, until a longer hold says otherwise).
"""

from __future__ import annotations

import math
from collections import deque
from typing import TYPE_CHECKING, Literal, NamedTuple

from calm_needle.core.lazy import Lazy

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")

Hands = Literal["open", "stood", "moved"]

KEPT = 1200  # levels that are looked back over
SETTLES_S = 0.5  # s at the start of a hold in which meter and hand come to rest
LEAST_S, FEWEST = 0.7, 3  # s and levels that a hold has at least
MOVED_S = 1.5  # s of a hold before a needle is said to move by itself
QUIET, QUIET_BOTH = 0.25, 0.05  # share of stretches as quiet: as the hold, and that times the same of the hold before anything was turned
LONG_S, QUIET_LONG = 6.0, 0.1  # and of a hold so long, that is enough by itself
LAST_S, LAST_SHARE = 15.0, 0.2  # of the flank: where it went no further in so long a hold, it stands
MOVED, MOVED_SHARE = 0.5, 0.7  # share from which on it moved as much without the hand; and of the crest's smaller flank
NEAR_DB = 6.0  # under the crest: farther off a core hardly moves the needle, and quiet stretches tell nothing
FEWEST_STRETCHES = 5
SINE_LEAVES, SINE_MOST = (
    0.31,
    0.45,
)  # of the spread of all levels, that a sine leaves of a beat; and at the most, however unquiet the needle
SINE_LEAVES_WANDER, SINE_LEAVES_SLOW = 2.5, 1.4  # or times the wander, fast and slow
LARGE_DB, HELD_LEAVES = 3.0, 0.12  # spread from which on it has to explain the hold itself, too; what it then leaves of all there
SLOWEST_PER_SPAN, STEP_PER_SPAN, FASTEST_HZ = 0.35, 0.2, 1.0  # sines that are tried: periods over all that was seen; hertz


class _Seen(NamedTuple):
    time_s: float
    level_db: float


class StillHand:
    """The levels of one adjuster in time, and the hold that they end with, if any."""

    def __init__(self) -> None:
        self._seen: deque[_Seen] = deque(maxlen=KEPT)
        self._first: list[_Seen] = []  # of the hold before anything was turned
        self._turned_from_s: float | None = None
        self._held_from_s: float | None = None
        self._known_off = False
        self._tries = 0  # holds so far that proved nothing: each asks more of the next, for by chance one of many is quiet
        self._judged = False  # whether the hold that goes on now was long enough to be judged

    def add(self, *, time_s: float, level_db: float, held: bool, known_off: bool) -> None:
        """Take the level of one block. held: the hand was off, or was asked to hold; known_off: it is known to have been off."""
        self._seen.append(_Seen(time_s, level_db))
        if not held:
            self._tries += self._judged
            self._held_from_s, self._judged = None, False
            if self._turned_from_s is None:
                self._turned_from_s = time_s
        elif self._turned_from_s is None:
            self._first.append(self._seen[-1])
        elif self._held_from_s is None or (known_off and not self._known_off):  # who was asked only may have turned on
            self._held_from_s, self._known_off = time_s, known_off
        self._known_off = self._known_off and known_off

    def begin(self) -> None:
        """Take what was turned so far for nothing; what the needle did meanwhile still counts where a beat is looked for."""
        self._first.clear()
        self._tries += 1
        self._judged = False
        self._turned_from_s = self._held_from_s = None

    def joined(self) -> None:
        """Forget the levels so far: those to come do not compare."""
        self._seen.clear()
        self._first.clear()
        self._turned_from_s = self._held_from_s = None

    def judge(self, *, crest_db: float, flank_db: float, wander_db: float, slow_db: float) -> Hands:
        """Return whether the needle stood in the hold that goes on now, moved as much as with the hand, or cannot be told yet.

        crest_db: the height of the crest that is in question; flank_db: how far it is known to fall beside it; wander_db: of one level;
        slow_db: the slow wander (standard deviations).
        """
        if self._held_from_s is None or self._turned_from_s is None:
            return "open"
        t = np.array([s.time_s for s in self._seen])
        y = np.array([s.level_db for s in self._seen])
        hold = t >= self._held_from_s + SETTLES_S
        if hold.sum() < FEWEST or (held_s := float(t[hold][-1] - t[hold][0])) < LEAST_S:
            return "open"
        self._judged = True
        turned = (t >= self._turned_from_s) & (t <= self._held_from_s)
        near = turned & (y >= crest_db - NEAR_DB)
        if near.any():
            turned &= t >= t[near][0]
        as_quiet = _share_as_quiet(t[turned], y[turned], t[hold], y[hold])
        spread = float(np.ptp(y[hold]))
        moved = as_quiet >= MOVED and spread >= MOVED_SHARE * flank_db
        if moved and self._known_off and held_s >= MOVED_S:
            return "moved"
        first = [s for s in self._first if s.time_s >= self._first[0].time_s + SETTLES_S]
        before = 1.0
        if len(first) >= FEWEST:
            before = _share_as_quiet(t[turned], y[turned], np.array([s.time_s for s in first]), np.array([s.level_db for s in first]))
        if held_s >= LAST_S and spread <= LAST_SHARE * flank_db and self._known_off:
            return "stood"  # a beat of half a minute would have gone further meanwhile
        both = as_quiet <= QUIET and as_quiet * before <= QUIET_BOTH / 2.0**self._tries
        enough = both or (held_s >= LONG_S and as_quiet <= QUIET_LONG)
        return "stood" if enough and not _is_a_sine(t, y, hold, max(SINE_LEAVES_WANDER * wander_db, SINE_LEAVES_SLOW * slow_db)) else "open"


def _share_as_quiet(t: Floats, y: Floats, held_t: Floats, held_y: Floats) -> float:
    """The share of the stretches of some levels, as long as a hold, in which they spread as little as in its end."""
    if len(t) < FEWEST_STRETCHES:
        return 1.0
    span_s = min(float(held_t[-1] - held_t[0]), float(t[-1] - t[0]) / 2.0)
    held = float(np.std(held_y[held_t >= held_t[-1] - span_s]))
    ends = np.searchsorted(t, t + span_s, side="right")
    begins = np.arange(len(t))
    whole = (t + span_s <= t[-1]) & (ends - begins >= 2)
    if whole.sum() < FEWEST_STRETCHES:
        return 1.0
    sums, squares = (np.concatenate([[0.0], np.cumsum(v)]) for v in (y - y.mean(), (y - y.mean()) ** 2))
    n = (ends - begins)[whole]
    means = (sums[ends] - sums[begins])[whole] / n
    spreads = np.sqrt(np.maximum((squares[ends] - squares[begins])[whole] / n - means**2, 0.0))
    return float(1 + np.sum(spreads <= held)) / float(1 + len(spreads))


def _is_a_sine(t: Floats, y: Floats, hold: NDArray[np.bool_], wander_db: float) -> bool:
    """Whether one sine about a mean leaves no more of all levels, and of how they went in the hold, than would be left of a beat."""
    span_s = float(t[-1] - t[0])
    enough = min(max(SINE_LEAVES * float(np.std(y)), wander_db), SINE_MOST * float(np.std(y)))
    # Beside a small beat the wander itself would count here; a large one has to go on in the hold as well.
    enough_held = HELD_LEAVES * float(np.std(y)) if float(np.std(y)) >= LARGE_DB else math.inf
    tried_hz = np.arange(SLOWEST_PER_SPAN / span_s, FASTEST_HZ, STEP_PER_SPAN / span_s)
    angle = 2.0 * math.pi * np.outer(tried_hz, t - t.mean())
    columns = np.stack([np.ones_like(angle), np.cos(angle), np.sin(angle)], axis=2)  # of each sine: a row a level
    across = columns.transpose(0, 2, 1)
    found = np.linalg.solve(across @ columns, (across @ y)[:, :, None])
    left = y - (columns @ found)[:, :, 0]
    explains = np.sqrt(np.mean(left * left, axis=1)) <= enough
    return bool(np.any(explains & (np.std(left[:, hold], axis=1) <= enough_held)))
