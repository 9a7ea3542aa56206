"""Is this the peak? Judged from readings as they come, with what is known of the hand.

Readings are gathered into *blocks* of a quarter of a second (or one reading each, when they are typed). What the needle does by itself
is measured while hands are off (watch.wander); a rise or a fall counts when it is more than that (watch.stretches).

A needle that rises and falls proves nothing by itself: drift, a beat and a hand on the wire do the same. What tells a crest from them is
that it depends on the hand. So there are grades of evidence:
    once     it rose to a crest and fell behind it: come back to it.
    follows  the hand is known to have turned back, by the turns of the tool or by a key, and with it the level rose again to the same
             height.
    proven   and with the hand off it stood (watch.still_hand); what a person types is read at rest, and needs no hold.
    twice    nothing is known of the hand, and the same height was passed twice and reached again: it may be the crest; a regular beat
             or a swing on one flank looks the same.
"""

import math
import statistics
from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from calm_needle.core.procedure.watch.place import FLANK_DB, Approach, CrestFit, Profile, approach
from calm_needle.core.procedure.watch.still_hand import StillHand
from calm_needle.core.procedure.watch.stretches import NEAR_DB, Crossing, Stretch
from calm_needle.core.procedure.watch.wander import LEAST_FALL_DB, SPAN_TO_SIGMA, Block, Pace, Wander

Goal = Literal["maximum", "minimum"]
Kind = Literal[
    "waiting",
    "hands_off",
    "rising",
    "falling",
    "further",
    "steady",
    "past",
    "return",
    "through",
    "hold",
    "crest",
    "twice",
    "slips",
    "end_stop",
    "wandering",
    "by_itself",
]
TAKEN: frozenset[str] = frozenset(("crest", "twice"))  # the kinds at which it may be taken
TURNED_BACK: frozenset[Kind] = frozenset(("return",))  # the kinds at which the hand has turned back already: the key is not asked for again
Evidence = Literal["none", "once", "twice", "follows", "proven"]
CAME_AGAIN: frozenset[Evidence] = frozenset(("follows", "proven"))
# What is said at the crest, by the evidence for it: the hand is asked off until that is tried.
ENDS: Mapping[Evidence, Kind] = {"proven": "crest", "follows": "hold"}

BLOCK_S = 0.25  # s, longer than the averaging of any meter fit for peaking
JUMP_TURNS = 0.04  # turns between two readings that end a block: a key was pressed
STILL_TURNS = 0.002  # turns below which the adjuster has not moved
SAME_PLACE_TURNS, SAME_PLACE_SHARE = 0.15, 0.3  # turns, or share of the way come back, by which a crest may seem to have moved
BACKLASH_TURNS = 0.02  # turns that a tool goes back before the core does
SLIPS_TURNS, SLIPS_S, SLIPS_TYPED = 1.5, 12.0, 8  # turns, seconds, or readings, after which an adjuster that does little is said to slip
SLIPS_DB, SLIPS_DB_PER_TURN, SLIPS_DB_PER_S, SLIPS_DB_PER_READING = 0.6, 0.15, 0.06, 0.05  # what it may have done that is little
SLIPS_WITHIN_S = 20.0  # s that are looked back over, where nobody counts turns
WANDERING_DB = 0.5  # dB of fast wander beyond which nothing can be judged
BY_ITSELF_DB = 4.0  # dB with hands off, beyond which nothing can be judged
NULL_SHARE = 0.08  # of a null's depth that counts as being at its bottom
NULL_BEGINS_DB = 3.0  # below the plain beside it
NULL_EQUAL = 0.35  # of its depth by which two passes through a null may differ: the meter's averaging fills it, the more the faster
EQUAL_DB = 0.25  # dB by which two passes over a crest may differ in any case
SENT_BACK_DB, SENT_BACK_TIMES = 1.0, 1.5  # dB, and times a fall that counts, after which a hand that comes over a crest is sent back
HALF_POWER_DB = 3.0
TO_AND_FRO = 3  # times that the hand has turned back, after which places were visited often enough to be believed
FITTED_FROM_DB = 3.0  # down to which both flanks are followed where the places near a crest do not carry a fit yet
AT_CREST_DB = 0.06  # dB below the crest that count as on it, beside the wander
HANDS_OFF_S = 3.0  # s at the beginning of a step in which the needle shows what it does by itself
AS_READ_DB = 0.005  # the same figure on the scale
PASSED_OVER_DB = 0.05  # below the crest, once a typed reading is no longer the highest of its way
PATIENCE_FIRST_DB, PATIENCE_GROWS_DB, PATIENCE_MOST_DB = 0.0, 0.003, 0.1  # below the crest, per typed reading since it was proven
REST_S = 0.75  # s over which a needle at rest is averaged
LATELY_S = 15.0  # s within which blocks are compared to tell whether it rises or falls
REACTION_S = 0.65  # s from what is said to the hand that stops
PRECISE_DB = 0.06  # dB to which the height of a crest is to be known before the hand stops by it
PRECISE_SHARE = 0.125  # or share of the span seen with hands off
FLANK_PER_SPAN, DEEPEST_DB = 16, 5.0  # times the span seen with hands off, that a flank is followed down before the hand comes back
DOUBTED_TIMES = 3.0  # times the fall that counts, that a crest with one low flank is followed down to before the hand is sent back
ALIKE_TIMES = 1.4  # neighbouring blocks share the slow part of the wander: each counts for less
AIMED = 0.6  # half widths short of the crest from where the hand is timed to it
TRIED_WITHIN = 0.25  # half widths off the crest within which the hand is asked off; it goes on to the crest after that
ON_IT, UNSURE_OF_IT = 0.05, 0.1  # half widths off a fitted crest that count as on it; the most, where the fit knows no better


@dataclass(frozen=True)
class Verdict:
    """What the watch says, with its evidence. `return`: on the way back to the crest. `through`: at it, but it was crossed once only,
    so on through it. `hold`: there; hands off, and the needle comes to rest. `by_itself`: with hands off it moved as much.
    Levels in dB, `None` where nothing is known yet.

       rise_db, fall_db: how far it rose to the crest and fell behind it (left and right of it where turns are known).
       wander_db: standard deviation of a block. span_db: how far it went by itself with hands off. bar_db: the fall that counts.
       enough_db: of “further”, the fall at which it is said no more.
       turns_to_crest: signed, in the adjuster's own sense. gain_left_db: from here to the crest.
       turned, turned_s: turns of the tool on its present way, or lately seconds of it; moved_db: how far the needle went meanwhile.
       way_known: whether the hand's way is known, by turns or by the key.
    """

    kind: Kind
    evidence: Evidence = "none"
    level_db: float | None = None
    crest_db: float | None = None
    crest_time_s: float | None = None
    rise_db: float = 0.0
    fall_db: float = 0.0
    wander_db: float = 0.0
    span_db: float | None = None
    bar_db: float = 0.0
    enough_db: float = 0.0
    turns_to_crest: float | None = None
    turns_error: float | None = None
    gain_left_db: float | None = None
    turned: float | None = None
    turned_s: float = 0.0
    moved_db: float = 0.0
    way_known: bool = False

    @property
    def may_take(self) -> bool:
        """Whether it is said that this may be taken."""
        return self.kind in TAKEN

    @property
    def came_again(self) -> bool:
        """Whether the level came again as the hand turned back, proven with hands off yet or not."""
        return self.evidence in CAME_AGAIN

    @property
    def times_wander(self) -> float:
        """How many times the wander the smaller of rise and fall is."""
        unrest = max(self.wander_db, (self.span_db or 0.0) / 2.0)
        return min(self.rise_db, self.fall_db) / unrest if unrest else 0.0


class PeakWatch:
    """Watches one adjuster. Feed it with add(), ask it with verdict(); same readings, same verdicts."""

    def __init__(self, *, goal: Goal = "maximum") -> None:
        self._sign = 1.0 if goal == "maximum" else -1.0
        self._null = goal == "minimum"
        self._open: list[tuple[float, float, float | None, int | None]] = []
        self._last_time_s: float | None = None
        self._spacing_s = 0.0
        self._alone = False
        self._stood = False  # whether it was read before anything counted
        self._at_stop = False
        self._began_s = 0.0
        self._places: deque[tuple[float, float]] = deque(maxlen=12)
        self._turns_now = self._judged_at = 0.0
        self._extreme_turns: float | None = None
        self._held_turns: float | None = None  # where the tool came to rest last
        self._unsure_db = 0.0  # how far levels were joined that do not compare
        self._way: int | None = None  # the last way in which the hand is known to have turned
        self._blocks = 0
        self._recent: deque[Block] = deque(maxlen=12)
        self._wander = Wander()
        self._hands, self._stands, self._by_itself = StillHand(), False, False
        self._turned_back = 0
        self._stretch = Stretch(None)
        self._known = False
        self._crossed: list[Crossing] = []  # crests gone through in earlier stretches, or in time where the way is not known
        self._proven: Crossing | None = None
        self._proven_at = 0  # after how many blocks
        self._due_s: float | None = None  # when a steady hand will be at the crest, on its present way
        self._behind = False  # whether the meter was behind a turn in one of the readings of the block that is open
        self._reached_s: float | None = None  # when the hand was at the crest again, on its present way
        self._profile = Profile()
        self._least, self._most = math.inf, -math.inf
        self._before_db = -math.inf  # the highest before the hand turned onto its present way
        self._verdict: Verdict | None = None

    def add(
        self,
        *,
        level_db: float,
        time_s: float,
        turns: float | None = None,
        way: int | None = None,
        at_stop: bool = False,
        lag_s: float = 0.0,
        alone: bool = False,
    ) -> None:
        """Take one reading: level (dB, any reference, but always the same one), time (s, not falling).

        turns: of the adjuster, if known. way: +1 or -1 while the hand says that it turns one way or back, 0 while it is off, None where
        it says nothing. lag_s: how far the meter is behind the set, by its averaging; the level is put down to where the adjuster stood
        then. alone: read and typed by a person, so it stands for itself however quickly the next one follows.
        """
        level, self._alone = self._sign * level_db, alone
        if turns is not None:
            self._places.append((time_s, turns))
            self._turns_now = turns
            turns = next((t for at, t in reversed(self._places) if at <= time_s - lag_s), self._places[0][1])
        if self._last_time_s is None:
            self._began_s = time_s
        else:
            gap = time_s - self._last_time_s
            self._spacing_s = gap if self._spacing_s == 0.0 else 0.7 * self._spacing_s + 0.3 * gap
            if self._open:
                began_s, _, before, way_before = self._open[0]
                jumped = turns is not None and abs(turns - (self._open[-1][2] or 0.0)) > JUMP_TURNS and before is not None
                # A median over two places, or over two ways of the hand, is true of neither.
                if alone or time_s - began_s >= BLOCK_S - 1e-9 or jumped or way != way_before:
                    self._close()
        if self._tells_wander(level):
            self._wander.add_reading(level)
        # While the meter is behind a turn, what it shows belongs to neither place.
        behind = turns is not None and abs(self._turns_now - turns) > STILL_TURNS
        self._open.append((time_s, level, turns, way))
        self._behind = self._behind or behind
        if at_stop != self._at_stop:
            self._verdict = None
        self._last_time_s, self._at_stop = time_s, at_stop
        if self._sparse or time_s + 0.99 * self._spacing_s - self._open[0][0] >= BLOCK_S:
            self._close()  # the next reading would lie beyond it

    def stood(self, *, time_s: float, turns: float | None) -> None:
        """Take where the adjuster stands (turns, None where they are not known) while what is read does not count; the meter is behind
        that, too, once it counts again.
        """
        self._stood = True
        if turns is not None:
            self._places.append((time_s, turns))
            self._turns_now = turns

    def joined(self, *, unsure_db: float) -> None:
        """Take that the generator's level was moved and the set did not pass on so much of it (dB): crests so far are where they were, but
        as high as they may be, so what was proven is gone through once more.
        """
        if self._open:
            self._close()
        self._unsure_db += unsure_db
        self._most -= unsure_db
        self._proven = None
        self._hands.joined()
        self._profile.lower(unsure_db)
        self._verdict = None

    def verdict(self) -> Verdict:
        """Return the judgement on everything added so far; how far the crest is away, from where the tool has come to meanwhile."""
        if self._verdict is None:
            self._verdict, self._judged_at = self._judge(), self._turns_now
        off = self._verdict.turns_to_crest
        gone = self._turns_now - self._judged_at
        return self._verdict if off is None or not gone else replace(self._verdict, turns_to_crest=off - gone)

    def crest_fit(self) -> CrestFit | None:
        """Return the fitted crest where turns are known, else None."""
        return self._profile.fit()

    @property
    def _sparse(self) -> bool:
        return self._alone or self._spacing_s > BLOCK_S

    @property
    def _pace(self) -> Pace:
        return "typed" if self._alone else "slow" if self._sparse else "steady"

    def _tells_wander(self, level: float) -> bool:
        """Whether a reading tells of the needle's own wander: in a steep null it tells of the null."""
        return not self._null or level <= self._least + NULL_BEGINS_DB

    # From readings to stretches.

    def _close(self) -> None:
        readings = self._open
        self._open = []
        n = len(readings)
        known = [t for _, _, t, _ in readings if t is not None]
        turns = sum(known) / n if len(known) == n else None
        still = turns is not None and not self._behind and self._holds(known)
        way = readings[-1][3] if turns is None else self._way_of(turns, still)
        time_s = sum(t for t, _, _, _ in readings) / n
        block = Block(time_s, statistics.median(v for _, v, _, _ in readings), turns, way, still, n)
        self._behind = False
        self._blocks += 1
        self._verdict = None
        self._wander.add_block(block, steep=not self._tells_wander(block.level_db))
        self._least, self._most = min(self._least, block.level_db), max(self._most, block.level_db)
        self._recent.append(block)
        self._try_hold(block)
        self._follow(block)
        if turns is not None:
            self._profile.add(block)
        self._verdict, self._judged_at = (
            self._judge(),
            self._turns_now,
        )  # what was said once bears on what is said next, whoever asks for it

    def _try_hold(self, block: Block) -> None:
        """Take a block for the question whether it is the hand that moves the needle; answer it while the hand is off."""
        off = block.still or (block.turns is None and block.way == 0)
        asked = self._reached_s is not None and block.turns is None and block.time_s - self._reached_s >= REACTION_S
        self._hands.add(time_s=block.time_s, level_db=block.level_db, held=off or asked, known_off=off)
        self._by_itself = self._by_itself and off
        if self._proven is None or self._null or self._stands or not (off or asked):
            return
        flank_db = min(self._proven.rise_db, self._proven.fall_db)
        said = self._hands.judge(
            crest_db=self._proven.height_db,
            flank_db=flank_db,
            wander_db=self._wander.fast_db(self._pace),
            slow_db=SPAN_TO_SIGMA * (self._wander.span_db or 0.0),
        )
        self._stands = said == "stood"
        if said == "moved":
            self._nothing_proven()

    def _nothing_proven(self) -> None:
        """What was seen, no turning did: it is forgotten, and the hold has told how far the needle goes by itself."""
        self._by_itself, self._proven, self._crossed = True, None, []
        self._stretch, self._reached_s, self._due_s = Stretch(None), None, None
        self._profile = Profile()
        self._hands.begin()

    def _holds(self, turns: list[float]) -> bool:
        """Whether the tool is where it came to rest. What is turned by hairs comes away from there, though no block shows that it moves."""
        if self._held_turns is None:
            self._held_turns = turns[0]
        if max(abs(t - self._held_turns) for t in turns) <= STILL_TURNS:
            return True
        self._held_turns = turns[-1]
        return False

    def _way_of(self, turns: float, still: bool) -> int:
        """Which way a tool whose turns are known goes; it has turned back once it has gone back by more than its backlash."""
        if self._extreme_turns is None:
            self._extreme_turns = turns
        if still:
            return 0
        off = turns - self._extreme_turns
        way = self._way if self._way else (off > 0) - (off < 0)
        if way and off * way >= 0:
            self._extreme_turns = turns
        elif abs(off) > BACKLASH_TURNS:
            way, self._extreme_turns = -way, turns
        return way

    def _follow(self, block: Block) -> None:
        """Add a block to the stretch that it belongs to."""
        if block.way is not None and block.way != 0 and block.way != self._way:
            if self._way is not None or self._stretch.blocks:
                self._turn_back()
            self._way, self._known = block.way, True
            self._stretch.way = block.way
        elif block.way == 0:
            return  # what the needle does meanwhile, it does by itself
        self._stretch.add(block, alone=self._alone)
        if self._way is None:
            self._end_in_time()

    def _turn_back(self) -> None:
        """The hand has turned back: what it went through is kept, and a new stretch begins."""
        self._before_db = self._most
        self._turned_back += 1
        crossing = self._crossing()
        if crossing:
            self._keep(crossing)
        else:
            if self._is_proof():
                self._prove()
            self._know_it_better()
        turned = self._stretch.blocks[-1:]
        self._stretch, self._reached_s, self._due_s = Stretch(None), None, None
        for block in turned:  # where it turned is where the new way begins
            self._stretch.add(block)

    def _know_it_better(self) -> None:
        """A way over a proven crest, too short on either side to be a crossing beyond all drift, still tells of its height."""
        crest, top = self._proven, self._stretch.top
        if crest is None or top is None or top.turns is not None or self._null:
            return
        if min(self._stretch.rise.db, self._stretch.fall.db) < self._bar():
            return
        height_db, near_s = self._stretch.height_db(), self._stretch.near_s()
        if near_s and abs(height_db - crest.height_db) <= self._equal_db(crest):
            mean = (crest.height_db * crest.near_s + height_db * near_s) / (crest.near_s + near_s)
            self._proven = crest._replace(height_db=mean, near_s=crest.near_s + near_s)

    def _end_in_time(self) -> None:
        """Where nothing is known of the hand: a crest that was passed ends when the level rises again by more than wander."""
        crossing = self._crossing()
        if crossing is None:
            return
        after = [b for b in self._stretch.blocks if b.time_s > crossing.time_s]
        if not after:
            return  # all of them bear the time of the crest
        low = min(after, key=lambda b: b.level_db)
        if after[-1].level_db - low.level_db >= self._bar():
            self._keep(crossing)
            fresh = Stretch(None)
            for b in after:
                if b.time_s >= low.time_s:
                    fresh.add(b, alone=self._alone)
            self._stretch, self._reached_s, self._due_s = fresh, None, None

    def _keep(self, crossing: Crossing) -> None:
        if self._is_proof(crossing.height_db):
            self._prove(crossing)
        self._crossed.append(crossing)

    # What was seen.

    def _bar(self) -> float:
        return self._wander.bar_db(self._pace)

    def _crossing(self) -> Crossing | None:
        top = self._stretch.top
        if top is None or not self._recent:
            return None
        drifted = self._wander.drifted_db(self._recent[-1].time_s - top.time_s)
        crossing = self._stretch.crossing(bar_db=self._bar(), drifted_db=drifted)
        return crossing and crossing._replace(unsure_db=self._unsure_db)

    def _since_db(self, crossing: Crossing) -> float:
        """By how much levels since then may differ from a crossing's, because the generator was moved."""
        return self._unsure_db - crossing.unsure_db

    def _equal_db(self, crossing: Crossing) -> float:
        """By how much two passes over one crest may differ."""
        wander = max(EQUAL_DB, 4.0 * self._wander.fast_db(self._pace), 1.5 * (self._wander.span_db or 0.0))
        return max(wander, NULL_EQUAL * min(crossing.rise_db, crossing.fall_db)) if self._null else wander

    def _outdone_db(self, crest: Crossing) -> float:
        """How much higher something must be to be another crest."""
        return self._since_db(crest) + (max(self._bar(), 2.0 * self._equal_db(crest)) if self._proven else self._equal_db(crest))

    def _is_proof(self, height_db: float | None = None) -> bool:
        """Whether the present stretch came up again, by more than wander, to the height of the crest before it."""
        top, before = self._stretch.top, self._crossed[-1] if self._crossed else None
        if not self._known or before is None or top is None or not self._stretch.rise.counts(self._bar(), back=True):
            return False
        if height_db is None and self._since_db(before) > 0.0:
            return False  # the generator was moved meanwhile: it only compares once it was gone through again
        if before.turns is not None and top.turns is not None:
            gone = abs(top.turns - self._stretch.blocks[0].turns) if self._stretch.blocks[0].turns is not None else 0.0
            if abs(top.turns - before.turns) > max(SAME_PLACE_TURNS, SAME_PLACE_SHARE * gone):
                return False  # as high, but elsewhere
        if not self._stretch.came_with_the_hand(self._bar()):
            return False
        higher = (top.level_db if height_db is None else height_db) - before.height_db
        # One that was gone through on both sides, at the same place, is as high as it is.
        equal = self._equal_db(before) + (0.0 if height_db is None or top.turns is None else self._since_db(before))
        # Slowly one comes deeper into a null than at speed.
        return -equal <= higher <= (math.inf if self._null else equal)

    def _prove(self, again: Crossing | None = None) -> None:
        """The last crest is proven; again: by having been gone through a second time."""
        before = self._proven or self._crossed[-1]
        self._proven_at = self._blocks if self._proven is None else self._proven_at
        self._proven = self._together(before, again) if again else before

    def _by_places(self) -> Crossing | None:
        """A crest that the places themselves prove, though no single way over it was deep enough: the hand went over them to and fro, and
        whenever it was there, each was as high as the one curve has it. Needles that are seldom read come to this."""
        if self._null or self._turned_back < TO_AND_FRO or not (fit := self._profile.fit()):
            return None
        if fit.error_turns > UNSURE_OF_IT * fit.half_width_turns:
            return None
        left, right = self._profile.sides(fit)
        # Each way over them is another look, of which the wander knows nothing: their mean is as much surer as the root of their number.
        if min(left, right) < max(LEAST_FALL_DB, self._bar() * math.sqrt(TO_AND_FRO / self._turned_back)):
            return None
        return Crossing(fit.level_db, self._recent[-1].time_s, left, right, fit.turns, unsure_db=self._unsure_db)

    def _together(self, one: Crossing, two: Crossing) -> Crossing:
        """A crest that was passed twice. The depth of a null is that of the slower pass."""
        if self._since_db(one) > self._since_db(two):
            return two  # the first does not compare
        near_s = one.near_s + two.near_s
        mean = (one.height_db * one.near_s + two.height_db * two.near_s) / near_s if near_s else (one.height_db + two.height_db) / 2.0
        return two._replace(height_db=max(one.height_db, two.height_db) if self._null else mean, near_s=near_s)

    def _height_error_db(self, crest: Crossing) -> float:
        """How well the height of a crest is known: the slow wander, as far as it was averaged while the hand was near."""
        return SPAN_TO_SIGMA * (self._wander.span_db or 0.0) / math.sqrt(max(1.0, crest.near_s))

    def _offered(self) -> Crossing | None:
        """The crest that was passed twice at the same height, where nothing is known of the hand."""
        if self._known or len(self._crossed) < 2:
            return None
        one, two = self._crossed[-2:]
        if abs(one.height_db - two.height_db) > self._equal_db(two):
            return None
        return self._together(one, two)

    # The judgement.

    def _judge(self) -> Verdict:
        now = self._recent[-1] if self._recent else None
        if now is None and not self._open and self._stood:
            return Verdict("hands_off")
        if now is None and self._open and (self._open[-1][3] == 0 or (self._open[-1][2] is not None and not self._alone)):
            return Verdict("hands_off", level_db=self._sign * self._open[-1][1])
        hands_off = now is not None and now.way == 0 and self._stretch.top is None and not self._crossed
        if hands_off and now and now.turns is not None:
            hands_off = now.time_s - self._began_s < HANDS_OFF_S  # nobody said so: it was only not turned yet
        if now is None or (not hands_off and (self._blocks < 3 or not self._wander.ready(self._pace))):
            return Verdict("waiting", level_db=self._sign * now.level_db if now else None)
        turned_s, lately_db = self._stretch.lately(math.inf if self._sparse else SLIPS_WITHIN_S)
        base = Verdict(
            "hands_off" if hands_off else "steady",
            level_db=self._sign * now.level_db,
            crest_db=self._sign * self._most,
            wander_db=self._wander.fast_db(self._pace),
            span_db=self._wander.span_db,
            bar_db=self._bar(),
            turned=self._stretch.turned if now.turns is not None else None,
            turned_s=turned_s,
            moved_db=self._stretch.moved_db if now.turns is not None or self._sparse else lately_db,
            way_known=self._known,
        )
        if hands_off:
            return base
        if self._by_itself:
            return replace(base, kind="by_itself")
        if self._is_proof():
            self._prove()
        if self._proven is None and (fitted := self._by_places()):
            self._proven, self._proven_at = fitted, self._blocks
        if self._wander.fast_db(self._pace) > WANDERING_DB and self._proven is None:
            return replace(base, kind="wandering")
        here = self._crossing()
        crest = self._proven or here or self._offered() or (self._crossed[-1] if self._crossed else None)
        if self._proven is None and not here and self._slips(base):
            return replace(base, kind="slips")
        if crest is None:
            if (self._wander.span_db or 0.0) > BY_ITSELF_DB:
                return replace(base, kind="wandering")
            return self._judge_under_way(base, now)
        higher = (self._stretch.top.level_db if self._stretch.top else crest.height_db) - crest.height_db
        if self._null and higher > 0.0:
            crest = crest._replace(height_db=crest.height_db + higher)
        elif higher > self._outdone_db(crest):
            # What was proven is outdone only by more than a fall that counts.
            self._proven, self._stands = None, False
            if here is None:
                return self._judge_under_way(base, now)
            crest = here
        return self._judge_crest(base, now, crest, here)

    def _judge_crest(self, base: Verdict, now: Block, crest: Crossing, here: Crossing | None) -> Verdict:
        """A crest was gone through: what is known of it, and how the hand comes back to it."""
        evidence: Evidence = self._seen_to_follow() or ("twice" if self._offered() else "once")
        moved = [b.time_s for b in self._recent if b.turns is not None and not b.still]
        recent = [b.level_db for b in self._recent if now.time_s - b.time_s <= REST_S and b.time_s > max(moved, default=-math.inf)] or [
            now.level_db
        ]
        steep = self._sparse or (self._null and self._reached_s is None and now.turns is None)
        below = crest.height_db - (now.level_db if steep else sum(recent) / len(recent))
        base = replace(
            base,
            evidence=evidence,
            crest_db=self._sign * crest.height_db,
            crest_time_s=crest.time_s,
            rise_db=crest.rise_db,
            fall_db=crest.fall_db,
            gain_left_db=max(0.0, below),
        )
        if now.turns is not None:
            return self._judge_by_turns(base, now, here, below)
        return self._judge_by_way(base, now, crest, here, below)

    def _seen_to_follow(self) -> Literal["follows", "proven"] | None:
        if self._proven is None:
            return None
        # A null is deep and narrow: no beat goes through one twice at one place, and its bottom is too unquiet to stand still by.
        return "proven" if self._stands or self._alone or self._null else "follows"

    def _judge_by_turns(self, base: Verdict, now: Block, here: Crossing | None, below: float) -> Verdict:
        fit = self._profile.fit()
        if self._proven is None and here is None:
            # On the way back: to the crest, and through it.
            off = (fit.turns if fit else self._profile.best_turns()) - self._turns_now
            top = self._stretch.top
            if top and self._fell_far_enough(base, now, top):
                return replace(base, kind="past", turns_to_crest=off)  # a short way up, and down the other side
            beyond = self._way is not None and off * self._way <= ON_IT * (fit.half_width_turns if fit else 0.0)
            return (
                replace(base, kind="through")
                if beyond
                else replace(base, kind="return", turns_to_crest=off + (self._way or 0) * BACKLASH_TURNS)
            )
        done: Kind = ENDS.get(base.evidence, "past")
        if here and base.evidence == "once" and not self._deep_enough(base, now):
            return self._further(base, now)
        share = NULL_SHARE * max(base.rise_db, base.fall_db) if self._null else 0.0
        if self._null and self._proven and now.still and below <= share:
            return replace(base, kind=done, turns_to_crest=self._profile.best_turns() - self._turns_now)
        if fit is None:
            off = self._profile.best_turns() - self._turns_now
            if below <= max(AT_CREST_DB, 1.5 * base.wander_db, share):
                return replace(base, kind=done, turns_to_crest=off)
            # Where it stood highest while it moved, it does not stand as high at rest: slowly over it once more.
            if self._null:
                # A moment's depth on the move, with nothing as deep at rest though it was looked for to and fro, was none.
                at_rest = self._profile.best_at_rest_db
                if now.still and self._turned_back > TO_AND_FRO and at_rest is not None and at_rest - now.level_db <= share:
                    return replace(base, kind=done, turns_to_crest=off)
                over = now.still and abs(off) <= BACKLASH_TURNS / 4.0
            else:
                # So far over it that the places there carry a fit.
                ahead = off * (self._way or 0) > BACKLASH_TURNS
                over = not ahead and not self._fell_far_enough(base, now, self._stretch.top or now, least_db=FITTED_FROM_DB)
            return replace(base, kind="through") if over else replace(base, kind="past", turns_to_crest=off)
        off = fit.turns - self._turns_now
        left = 10.0 * math.log10(1.0 + (off / fit.half_width_turns) ** 2)
        near = abs(off) <= max(ON_IT, min(fit.error_turns / fit.half_width_turns, UNSURE_OF_IT)) * fit.half_width_turns
        rested = now.still and abs((now.turns or 0.0) - self._turns_now) <= STILL_TURNS
        if base.evidence == "follows" and rested and abs(off) <= TRIED_WITHIN * fit.half_width_turns:
            return replace(base, kind="hold", turns_to_crest=off, turns_error=fit.error_turns, gain_left_db=left)
        kind: Kind = "past" if not near else done if rested else "hold"
        return replace(base, kind=kind, turns_to_crest=off, turns_error=fit.error_turns, gain_left_db=left)

    def _fell_far_enough(self, base: Verdict, now: Block, top: Block, *, least_db: float = SENT_BACK_DB) -> bool:
        """Whether it fell so far behind a crest that the hand may be sent back: from there the way back is a rise that counts, too."""
        counts = max(base.bar_db, self._wander.drifted_db(now.time_s - top.time_s))
        # What drift may have come to grows with time, and a hand that goes by hairs falls slower than that: it would never be sent back.
        # Down at half power the flank tells as much as it ever will.
        most = math.inf if self._null else HALF_POWER_DB
        fallen = top.level_db - now.level_db
        return fallen >= min(max(least_db, SENT_BACK_TIMES * counts), most) and self._stretch.fall.counts(min(counts, most))

    def _judge_by_way(self, base: Verdict, now: Block, crest: Crossing, here: Crossing | None, below: float) -> Verdict:
        done: Kind = "twice" if base.evidence == "twice" else ENDS.get(base.evidence, "through")
        wander = max(base.wander_db, 0.4 * (base.span_db or 0.0))
        # A null is steep: near its bottom a hair of a turn is decibels, and what counts is its depth.
        at = NULL_SHARE * max(crest.rise_db, crest.fall_db) if self._null else 0.0
        at = max(at, AT_CREST_DB + 0.7 * wander)
        if self._sparse:
            # Typed readings are few and cost a touch each. At first the very top is asked for, then less and less: who always comes back
            # from the same side and stops a little short leaves every circuit off to that side.
            asked = self._blocks - self._proven_at if self._proven else 0
            at = max(at if self._null else 0.0, min(PATIENCE_MOST_DB, PATIENCE_FIRST_DB + PATIENCE_GROWS_DB * asked))
            if not self._null:
                at = max(at, PASSED_OVER_DB)
            return replace(base, kind=self._said_of_typed(now, bar_db=base.bar_db, here=here, on_it=below <= at, done=done))
        top = self._stretch.top
        # A needle that swings by decibels would want minutes at the crest to be known as well as a quiet one.
        wanted_db = max(PRECISE_DB, PRECISE_SHARE * (self._wander.span_db or 0.0))
        precise = self._null or len(self._crossed) >= 2 or self._height_error_db(crest) <= wanted_db
        if here:
            short = not self._deep_enough(base, now) and not (precise and self._proven)
            return self._further(base, now) if short else replace(base, kind="past")
        if top is None:
            return replace(base, kind="return")
        if (
            self._proven
            and top.level_db >= crest.height_db - max(at, self._equal_db(crest))
            and top.level_db - now.level_db >= base.bar_db + at
            and (precise or self._fell_far_enough(base, now, top))
        ):
            return replace(base, kind="past")  # what is proven may be passed in a step or two
        depth = min(crest.rise_db, crest.fall_db) if self._null else FLANK_DB
        sure = 0.0 if self._null else self._height_error_db(crest)
        way = approach(
            self._stretch.blocks,
            crest_db=crest.height_db,
            now_s=now.time_s,
            depth_db=depth,
            block_error_db=max(ALIKE_TIMES * SPAN_TO_SIGMA * (self._wander.span_db or 0.0), base.wander_db),
            height_error_db=sure,
        )
        if self._reached_s is None and self._proven and not precise and below <= NEAR_DB:
            return replace(base, kind="through")
        if self._reached_s is None and self._there(way, crest, below, at):
            self._reached_s = now.time_s
        if self._reached_s is None:
            if self._known and top.level_db - now.level_db >= max(base.bar_db, 0.5):
                return replace(base, kind="falling")  # turned the wrong way
            return replace(base, kind="return" if self._came_back() or self._known else "past")
        if below > max(0.3, 2.0 * at) and top.level_db - now.level_db > max(0.25, 3.0 * base.wander_db):
            return replace(base, kind="past")
        if now.time_s - self._reached_s < REST_S + REACTION_S:
            return replace(base, kind="hold")
        if below <= at:
            return replace(base, kind=done)
        self._due_s = self._due_s and now.time_s  # it stopped short: a little on, and look again
        return replace(base, kind="return")

    def _said_of_typed(self, now: Block, *, bar_db: float, here: Crossing | None, on_it: bool, done: Kind) -> Kind:
        top = self._stretch.top
        rises = top is not None and top.time_s == now.time_s and self._known and self._came_back()
        if not self._null and rises and abs(now.level_db - self._before_db) > AS_READ_DB:
            return "return"  # it still rises: who stops where it first is high enough leaves every circuit off to that side
        if on_it and self._came_back():
            return done
        if here or not (self._known or self._came_back()):
            return "past"
        return "falling" if self._known and top and top.level_db - now.level_db >= bar_db else "return"

    def _deep_enough(self, base: Verdict, now: Block) -> bool:
        """Whether a flank was followed down far enough to come back by: further than to be sure that there is one. Not while it rises."""
        top = self._stretch.top
        return top is None or top.level_db - now.level_db >= _flank_db(base) or self._change() >= 0.0

    def _further(self, base: Verdict, now: Block) -> Verdict:
        """On down the flank, with how far it has fallen and how far is enough."""
        top = self._stretch.top
        fallen = top.level_db - now.level_db if top else 0.0
        return replace(base, kind="further", enough_db=_flank_db(base), moved_db=fallen)

    def _came_back(self) -> bool:
        """Whether the level has risen again since the crest was passed."""
        return bool(self._crossed) and self._stretch.top is not None and self._stretch.rise.db >= min(self._bar(), 0.5)

    def _there(self, way: Approach | None, crest: Crossing, below: float, at: float) -> bool:
        if not (self._stretch.rise.db >= min(self._bar(), 0.5)):
            return False
        if way is not None and below <= NEAR_DB and way.off <= AIMED:
            self._due_s = self._recent[-1].time_s + way.left_s - REACTION_S
        if self._due_s is not None:
            return self._recent[-1].time_s >= self._due_s
        return below <= at and way is None

    def _judge_under_way(self, base: Verdict, now: Block) -> Verdict:
        change, bar, wander = self._change(), base.bar_db, base.wander_db
        top, stretch = self._most, self._stretch
        if now.turns is None and stretch.top:
            # The hand may have turned back below the highest seen: what counts is this way of it.
            top = stretch.top.level_db
        fallen = top - now.level_db
        if self._at_stop and now.turns is not None and fallen <= max(0.1, 2.0 * wander):
            return replace(base, kind="end_stop")
        lately = max(0.06, 3.0 * wander)
        if change > lately:
            return replace(base, kind="rising")
        risen = now.level_db - (top - stretch.fall.db) if stretch.top else 0.0
        if fallen >= bar and risen <= max(0.3, 3.0 * wander):
            # What rose before it falls may be a crest; a little further tells.
            enough = DOUBTED_TIMES * bar
            crest = stretch.rise.db >= bar / 2.0 and fallen < enough and change < 0.0
            said = replace(base, enough_db=enough, moved_db=fallen, turns_to_crest=self._to_best(now))
            return replace(said, kind="further" if crest else "falling")
        # One side of a crest counts once it has fallen by the bar; until then this way is still wanted.
        if change >= -lately:
            return base
        if fallen < bar:
            return replace(base, kind="further", enough_db=bar, moved_db=fallen)
        return replace(base, kind="falling", turns_to_crest=self._to_best(now))

    def _slips(self, base: Verdict) -> bool:
        """Whether the tool turns one way while little happens."""
        if base.turned is None and self._crossed:
            return False  # it has answered; a hand that comes back slowly is careful
        little = max(SLIPS_DB, 1.2 * (base.span_db or 0.0))
        if base.turned is not None:  # whoever counts them needs no guess, however seldom it is read
            return base.turned >= SLIPS_TURNS and base.moved_db < max(little, SLIPS_DB_PER_TURN * base.turned)
        if self._sparse:
            seen = len(self._stretch.blocks)
            return seen >= SLIPS_TYPED and base.moved_db < max(little, SLIPS_DB_PER_READING * seen)
        return base.turned_s >= SLIPS_S and base.moved_db < max(little, SLIPS_DB_PER_S * base.turned_s)

    def _to_best(self, now: Block) -> float | None:
        """How far (turns) the best place seen so far is away, where turns are known."""
        return None if now.turns is None else self._profile.best_turns() - self._turns_now

    def _change(self) -> float:
        """How the level changed over the last second or so (dB): the mean of the last two blocks less that of the two or three before."""
        seen = list(self._recent)[-6:]
        if not self._alone:  # what was read before a long pause tells nothing of what is turned now
            seen = [b for b in seen if seen[-1].time_s - b.time_s <= LATELY_S]
        levels = [b.level_db for b in seen]
        if self._sparse:
            return levels[-1] - levels[-2] if len(levels) > 1 else 0.0
        late, early = levels[-2:], levels[-6:-2] or levels[:1]
        return sum(late) / len(late) - sum(early) / len(early)


def _flank_db(base: Verdict) -> float:
    """How far down (dB) a flank is followed before the hand comes back."""
    return min(DEEPEST_DB, FLANK_PER_SPAN * (base.span_db or 0.0))
