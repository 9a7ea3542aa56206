"""Is this the peak? Judged from readings as they come, with or without the turns of the adjuster.

Readings are gathered into *blocks* of a quarter of a second (or one reading each, when they are typed), and every
judgement is made between block means. The wander of a block is taken from the stream itself: from blocks during
which the adjuster stood still, where turns are known, otherwise from third differences, which a smooth rise, fall or
crest leaves almost untouched:

      level     ..··''''··..            first difference: the slope
              .·            ·.          second: the bend of the crest
                                        third: next to nothing but noise, sqrt(20) times as large as in one block

A crest counts as seen only when the level has fallen by the *bar* on both sides of it. The bar is
    sqrt(2) * sigma * sqrt(2 ln(n^2 / ALPHA)),
the drop between any two of n blocks that noise alone reaches with a chance of about ALPHA (union bound over the pairs,
Gaussian tails). Without turns, "both sides" means before and after: a high turning point between
two low ones. With turns it means to the left and to the right, whatever the order, and the crest's own place is fitted:
one core enters the transfer of its circuits as 1/|c0 + c1 j a|, so 1/V^2 is exactly a parabola in turns.
"""

import math
from collections import deque
from dataclasses import dataclass
from typing import Literal

from calm_needle.core.procedure.watch.crests import CrestFit, Pivots, Profile
from calm_needle.core.procedure.watch.wander import WANDERING_DB, Block, Wander

Goal = Literal["maximum", "minimum"]
Kind = Literal["waiting", "rising", "falling", "further", "steady", "past", "hold", "crest", "flat", "end_stop", "two_humps", "wandering"]

BLOCK_S = 0.25  # s, longer than the averaging of any meter fit for peaking
ALPHA = 1e-4  # chance per stream of taking wander for a fall
JUMP_TURNS = 0.04  # turns between two readings that end a block: a key was pressed
STILL_TURNS = 0.002  # turns below which the adjuster has not moved
FLAT_TURNS = 0.5  # turns after which a core that does nothing is said to do nothing
FLAT_DB = 0.6  # dB, the most that a needle may have moved that is said not to answer
FLAT_BLOCKS = 48  # blocks after which the same is said without turns: twelve seconds
PATIENCE_FIRST, PATIENCE_GROWS, PATIENCE_MOST = 0.0, 0.02, 2.0  # in wanders below the crest, per typed reading since it was proven
NULL_SHARE = 0.08  # of a null's depth that counts as being at its bottom
AT_CREST_DB = 0.005  # dB below the fitted crest that count as being on it


@dataclass(frozen=True)
class Verdict:
    """What the watch says, with its evidence. `hold`: at the crest as far as can be said before the needle has come to rest.
    Levels in dB, `None` where nothing is known yet.

       fall_before_db, fall_after_db: how far it fell on the two sides of the crest (left and right when turns are known).
       wander_db: standard deviation of a block. bar_db: the fall that counts. confidence: that the fall is not wander.
       turns_to_crest: signed, in the adjuster's own sense. gain_left_db: from here to the crest.
    """

    kind: Kind
    level_db: float | None = None
    crest_db: float | None = None
    crest_time_s: float | None = None
    fall_before_db: float = 0.0
    fall_after_db: float = 0.0
    wander_db: float = 0.0
    bar_db: float = 0.0
    confidence: float = 0.0
    turns_to_crest: float | None = None
    turns_error: float | None = None
    gain_left_db: float | None = None

    @property
    def peak_seen(self) -> bool:
        """Whether a fall on both sides has been seen; `past`, `hold`, `crest` and `two_humps` never come without it."""
        return self.kind in ("past", "hold", "crest", "two_humps")

    @property
    def times_wander(self) -> float:
        """How many times the wander the smaller of the two falls is."""
        return min(self.fall_before_db, self.fall_after_db) / self.wander_db if self.wander_db else 0.0


class PeakWatch:
    """Watches one adjuster. Feed it with add(), ask it with verdict(); same readings, same verdicts."""

    def __init__(self, *, goal: Goal = "maximum") -> None:
        self._sign = 1.0 if goal == "maximum" else -1.0
        self._open: list[tuple[float, float, float | None]] = []
        self._last_time_s: float | None = None
        self._spacing_s = 0.0
        self._alone = False
        self._at_stop = False
        self._places: deque[tuple[float, float]] = deque(maxlen=12)
        self._turns_now = 0.0
        self._blocks = 0
        self._recent: deque[Block] = deque(maxlen=8)
        self._noise = Wander()
        self._pivots = Pivots()
        self._profile = Profile()
        self._proven: tuple[float, float] | None = None  # wander and bar when a fall on both sides was first seen
        self._proven_at = 0
        self._verdict: Verdict | None = None

    def add(
        self, *, level_db: float, time_s: float, turns: float | None = None, at_stop: bool = False, lag_s: float = 0.0, alone: bool = False
    ) -> None:
        """Take one reading: level (dB, any reference, but always the same one), time (s, not falling), turns if known.

        lag_s: how far the meter is behind the set, by its averaging; the level is put down to where the adjuster stood then.
        alone: read and typed by a person, so it stands for itself however quickly the next one follows.
        """
        level, self._alone = self._sign * level_db, alone
        if turns is not None:
            self._places.append((time_s, turns))
            self._turns_now = turns
            turns = next((t for at, t in reversed(self._places) if at <= time_s - lag_s), self._places[0][1])
        if self._last_time_s is not None:
            gap = time_s - self._last_time_s
            self._spacing_s = gap if self._spacing_s == 0.0 else 0.7 * self._spacing_s + 0.3 * gap
            if self._open and (alone or time_s - self._open[0][0] >= BLOCK_S - 1e-9):
                self._close()
            elif self._open and turns is not None and abs(turns - (self._open[-1][2] or 0.0)) > JUMP_TURNS:
                self._close()  # a mean over two places is true of neither
        self._noise.add_reading(level)
        self._open.append((time_s, level, turns))
        if self._sparse or at_stop != self._at_stop:
            self._verdict = None
        self._last_time_s, self._at_stop = time_s, at_stop

    def verdict(self) -> Verdict:
        """Return the judgement on everything added so far."""
        if self._verdict is None:
            self._verdict = self._judge()
        return self._verdict

    def crest_fit(self) -> CrestFit | None:
        """Return the fitted crest where turns are known and a fall on both sides was seen, else None."""
        return self._profile.fit()

    @property
    def _sparse(self) -> bool:
        return self._alone or self._spacing_s > BLOCK_S

    def _close(self) -> None:
        readings = self._open
        self._open = []
        n = len(readings)
        known = [t for _, _, t in readings if t is not None]
        turns = sum(known) / n if len(known) == n else None
        before = self._recent[-1].turns if self._recent else None
        still = (
            turns is not None and max(known) - min(known) <= STILL_TURNS and before is not None and abs(known[0] - before) <= STILL_TURNS
        )
        block = Block(sum(t for t, _, _ in readings) / n, sum(v for _, v, _ in readings) / n, turns, still, n)
        self._blocks += 1
        self._recent.append(block)
        self._noise.add_block(block, n)
        self._verdict = None
        bar = self._bar()
        self._pivots.add(block, bar)
        if turns is not None:
            self._profile.add(block)

    def _bar(self) -> float:
        """The fall (dB) that is more than wander."""
        sigma = self._noise.sigma_db(self._sparse)
        return max(0.1, math.sqrt(2.0) * sigma * math.sqrt(2.0 * math.log(max(self._blocks, 4) ** 2 / ALPHA)))

    def _judge(self) -> Verdict:
        if self._open and (self._sparse or len(self._open) >= 5):
            self._close()
        if self._blocks < 3 or not self._noise.ready(self._sparse):
            return Verdict("waiting", level_db=self._sign * self._recent[-1].level_db if self._recent else None)
        sigma, bar, now = self._noise.sigma_db(self._sparse), self._bar(), self._recent[-1]
        with_turns = now.turns is not None and self._profile.span_turns > 0
        seen = self._profile.crest() if with_turns else self._pivots.crest(bar)
        base = Verdict(
            "steady",
            level_db=self._sign * now.level_db,
            crest_db=self._sign * seen.level_db,
            crest_time_s=seen.time_s,
            fall_before_db=seen.fall_before_db,
            fall_after_db=seen.fall_after_db,
            wander_db=sigma,
            bar_db=bar,
        )
        if min(seen.fall_before_db, seen.fall_after_db) >= bar and (self._proven is None or bar < self._proven[1]):
            self._proven_at = self._proven_at or self._blocks
            self._proven = (sigma, bar)
        if self._proven is not None:
            # What was proven stays proven, though turning back afterwards may look like wander.
            sigma, bar = self._proven
            seen = self._profile.crest() if with_turns else self._pivots.crest(bar)
            if min(seen.fall_before_db, seen.fall_after_db) >= bar:
                base = _with(
                    base,
                    crest_db=self._sign * seen.level_db,
                    crest_time_s=seen.time_s,
                    fall_before_db=seen.fall_before_db,
                    fall_after_db=seen.fall_after_db,
                    wander_db=sigma,
                    bar_db=bar,
                )
                return self._judge_passed(base, now, sigma, bar)
        if sigma > WANDERING_DB:
            return _with(base, kind="wandering")
        return self._judge_under_way(base, now, sigma, bar, with_turns)

    def _judge_passed(self, base: Verdict, now: Block, sigma: float, bar: float) -> Verdict:
        below = self._sign * (base.crest_db or 0.0) - now.level_db
        base = _with(
            base, confidence=_confidence(min(base.fall_before_db, base.fall_after_db), sigma, self._blocks), gain_left_db=max(0.0, below)
        )
        if now.turns is None:
            if below < -bar / 2.0:  # on the way to something higher than the crest that was seen
                return _with(base, kind="rising", crest_db=self._sign * now.level_db)
            # A null is steep: near its bottom a hair of a turn is decibels, and what counts is its depth.
            close = NULL_SHARE * min(base.fall_before_db, base.fall_after_db) if self._sign < 0 else 0.0
            if self._sparse or below <= close:
                # Typed readings are few and cost a touch each. At first the very top is asked for, then less and less: who always
                # comes back from the same side and stops a little short leaves every circuit off to that side.
                patience = min(PATIENCE_MOST, PATIENCE_FIRST + PATIENCE_GROWS * (self._blocks - self._proven_at))
                return _with(base, kind="crest" if below <= max(close, min(0.15, patience * sigma)) else "past")
            # The crest is the highest of many blocks and so about one sigma too high; a second's mean is compared with it.
            second = [b.level_db for b in self._recent][-4:]
            mean_below = self._sign * (base.crest_db or 0.0) - sum(second) / len(second)
            return _with(base, kind="crest" if mean_below <= max(0.05, 1.8 * sigma) else "past")
        fit = self._profile.fit()
        if self._profile.humps(bar) >= 2 and below > max(0.1, 2.0 * sigma):
            return _with(base, kind="two_humps", turns_to_crest=self._profile.crest().turns - self._turns_now)
        if fit is None:
            return _with(
                base, kind="crest" if below <= max(0.03, 1.5 * sigma) else "past", turns_to_crest=self._profile.crest().turns - now.turns
            )
        off = fit.turns - self._turns_now
        left = 10.0 * math.log10(1.0 + (off / fit.half_width_turns) ** 2)
        near = left <= AT_CREST_DB or abs(off) <= min(fit.error_turns, 0.04 * fit.half_width_turns)
        rested = now.still and abs(now.turns - self._turns_now) <= STILL_TURNS
        return _with(
            base,
            kind="past" if not near else "crest" if rested else "hold",
            turns_to_crest=off,
            turns_error=fit.error_turns,
            gain_left_db=left,
            crest_db=self._sign * max(fit.level_db, self._sign * (base.crest_db or 0.0) - bar),
        )

    def _judge_under_way(self, base: Verdict, now: Block, sigma: float, bar: float, with_turns: bool) -> Verdict:
        change = self._change()
        if self._at_stop and with_turns and now.level_db >= self._profile.crest().level_db - max(0.1, 2.0 * sigma):
            return _with(base, kind="end_stop")
        fallen = self._sign * (base.crest_db or 0.0) - now.level_db
        if abs(change) > max(0.06, 3.0 * sigma):
            if change > 0:
                return _with(base, kind="rising")
            # One side of a crest counts once it has fallen by the bar; until then this way is still wanted.
            return _with(base, kind="falling" if fallen >= bar else "further", turns_to_crest=self._to_best(now))
        spread = self._profile.spread_db if with_turns else self._pivots.spread_db
        # A core known to stand where it stood has not been asked yet: however long that lasts, it is not flat.
        wide = self._blocks >= (8 if self._sparse else FLAT_BLOCKS) if now.turns is None else self._profile.span_turns >= FLAT_TURNS
        # However unsure the bar, a needle that moved by more than FLAT_DB has moved.
        if wide and spread < max(FLAT_DB / 2.0, min(bar, FLAT_DB)):
            return _with(base, kind="end_stop" if self._at_stop and with_turns and spread > bar / 2.0 else "flat")
        if fallen >= bar:  # too slowly for the last second to show it
            return _with(base, kind="falling", turns_to_crest=self._to_best(now))
        return base

    def _to_best(self, now: Block) -> float | None:
        """How far (turns) the best place seen so far is away, where turns are known."""
        return None if now.turns is None else self._profile.crest().turns - self._turns_now

    def _change(self) -> float:
        """How the level changed over the last second or so (dB): the mean of the last two blocks less that of the two or three before."""
        levels = [b.level_db for b in self._recent]
        if self._sparse:
            return levels[-1] - levels[-2]
        late, early = levels[-2:], levels[-6:-2] or levels[:1]
        return sum(late) / len(late) - sum(early) / len(early)


def _confidence(fall_db: float, sigma: float, blocks: int) -> float:
    """Chance that a fall seen among so many blocks is not wander, by the bound that also sets the bar."""
    return max(0.0, 1.0 - blocks * 0.5 * math.erfc(fall_db / (2.0 * sigma)))


def _with(verdict: Verdict, **changes: object) -> Verdict:
    return Verdict(**{**verdict.__dict__, **changes})
