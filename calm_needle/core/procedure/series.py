"""The readings of one stay at a step, as they compare with each other: where it began, where it stands now, how it moves.

How a reading counts follows from what is read (`Watched.reads`): a level in decibels at the step's own generator level, so that
it compares whatever the generator was turned to; an offset about a centre; or a value as it is.
"""

import itertools
import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from calm_needle.core.dossier.model import Reads, Step
from calm_needle.core.physics.levels import gain_db

LAST_READINGS_S = 0.8  # s over which "now" is averaged when readings come by themselves
FIRST_READINGS = 4  # readings that make the start of such a stay when the turns are not known
SETTLES_S = 0.8  # s after a step began, or the level was moved, until meter and gain control have come to rest
BEGINS_S = 3.0  # s from which, at most, it is taken where a stay began
PASSED_ON_DB = 0.5  # that a move of the level does not change the measure by where the set passes it on in full, nor a needle at rest
UNREST_S = 1.0  # s over which the needle's unrest is taken
LEAST_V = 1e-9  # V, below any meter


class Seen(NamedTuple):
    """One reading as a judge sees it.

    kind: live (read by the program), typed (read and typed by a person, so it stands for itself however quickly the next one
    follows), marked, sweep. turns: of each adjuster whose turns are known. way: +1 or -1 as the hand says that it turns one way or
    back, 0 while it is off, None where it says nothing.
    """

    t_s: float
    value: float
    unit: str
    kind: str = "live"
    generator_hz: float | None = None
    generator_v: float | None = None
    dial_hz: float | None = None
    turns: Mapping[str, float] = {}
    at_stop: bool = False
    way: int | None = None

    @property
    def alone(self) -> bool:
        return self.kind == "typed"


class Now(NamedTuple):
    """Where it stands: in the measure that is compared (decibels for a level), and in the indicator's own unit."""

    measure: float
    value: float


class _Join(NamedTuple):
    """Where the generator's level was moved: when, the measure before, what was added to the readings before (dB), where everything stood,
    and what is added to those since (dB)."""

    t_s: float
    before_db: float
    own_db: float
    turns: Mapping[str, float]
    offset_db: float


class Series:
    """The readings of one stay at a step, in their order. `watched` are those that came one after the other; `swept` and `marked`."""

    def __init__(self, step: Step | None, reads: Reads = "level") -> None:
        watched = step.set_up.watched if step else None
        self.step = step
        self.reads: Reads = (watched.reads if watched and watched.reads else None) or reads
        self.unit = watched.unit if watched else "V"
        self.watched: list[Seen] = []
        self._measures: list[float] = []  # of those watched, in their order
        self.swept: list[Seen] = []
        self.marked: list[Seen] = []
        source = step.set_up.source if step else None
        self._reference_v = source.level_v if source else 1.0
        self._levels: dict[tuple[float, float | None], float] = {}  # the same few readings are asked for at every look
        self._joins: list[_Join] = []
        self._now: tuple[int, Now] | None = None  # as it was after so many readings
        self._start: tuple[int, float] | None = None  # likewise; a needle's picture asks for it with each of its readings
        self.centre = float(step.aim.get("centre", 0.0)) if step else 0.0

    def add(self, seen: Seen) -> None:
        """Take a reading in."""
        apart = {"sweep": self.swept, "marked": self.marked}.get(seen.kind)
        if apart is not None:
            apart.append(seen)
            return
        self._join(seen)
        self.watched.append(seen)
        self._measures.append(self.measure(seen))

    def measure(self, seen: Seen) -> float:
        """A reading as it is compared with others: decibels re 1 V at the step's own generator level, or its value.

        In a set whose gain control works, or that is overdriven, a level that was moved changes the gain too: what follows begins where
        the needle was left, so that only what is turned counts as gained. Where it joined, a gain is the least that it can have been.
        """
        if self.reads != "level":
            return seen.value
        joined = next((j.offset_db for j in reversed(self._joins) if seen.t_s >= j.t_s), 0.0)
        return self._at_reference(seen) + joined

    @property
    def settling(self) -> bool:
        """Whether the last reading came so soon after the generator's level was moved that meter and set may not have come to rest."""
        return bool(self._joins and self.watched and self.watched[-1].t_s - self._joins[-1].t_s <= SETTLES_S)

    @property
    def unsure_db(self) -> float:
        """How much, all moves of the level together, the set did not pass on: by so much the levels before and since may differ."""
        return sum(abs(j.offset_db - j.own_db) for j in self._joins)

    @property
    def beginning(self) -> bool:
        """Whether the last reading came so soon after the first that they may not have come to rest after what was set up: nothing was
        turned yet, and what the needle does is neither its own unrest nor a hand's doing."""
        first, last = (self.watched[0], self.watched[-1]) if self.watched else (None, None)
        return bool(first and last and not last.alone and last.t_s - first.t_s <= SETTLES_S and last.turns == first.turns)

    def _at_reference(self, seen: Seen) -> float:
        key = (seen.value, seen.generator_v)
        known = self._levels.get(key)
        if known is None:
            known = self._levels[key] = level_db(seen, reference_v=self._reference_v)
        return known

    def _join(self, seen: Seen) -> None:
        """Keep the measure continuous over a move of the level, where the set does not pass that on in full."""
        last = self.watched[-1] if self.watched else None
        if self.reads != "level" or last is None or seen.alone or last.alone or None in (seen.generator_v, last.generator_v):
            return
        if seen.generator_v != last.generator_v:
            recent = self.recent(LAST_READINGS_S)
            before_db = sum(self.measure(r) for r in recent) / len(recent)
            own = self._joins[-1].offset_db if self._joins else 0.0
            self._joins.append(_Join(seen.t_s, before_db, own, last.turns, own))
        elif not self.settling or self._joins[-1].turns != seen.turns:
            return
        join = self._joins[-1]
        jump_db = self._at_reference(seen) + join.own_db - join.before_db
        self._joins[-1] = join._replace(offset_db=join.own_db - (jump_db if abs(jump_db) > PASSED_ON_DB else 0.0))
        self._now = self._start = None
        for i in range(len(self.watched) - 1, -1, -1):
            if self.watched[i].t_s < join.t_s:
                break
            self._measures[i] = self.measure(self.watched[i])

    def shown(self, measure: float) -> float:
        """A measure as the needle shows it: from where it began, from the centre, or as it is."""
        if self.reads == "level":
            return measure - (self.start() or 0.0)
        return measure - self.centre if self.reads == "offset" else measure

    def lately(self, count: int) -> list[tuple[float, float]]:
        """The last so many readings as the needle shows them: seconds, and the measure from where it began or from the centre."""
        zero = {"level": self.start() or 0.0, "offset": self.centre, "value": 0.0}[self.reads]
        return [(r.t_s, m - zero) for r, m in zip(self.watched[-count:], self._measures[-count:], strict=True)]

    @property
    def shown_unit(self) -> str:
        return "dB" if self.reads == "level" else self.unit

    def start(self) -> float | None:
        """The measure of the first readings of this stay, or None."""
        if not self.watched:
            return None
        if self._start is None or (self._start[0] != len(self.watched) and not self._has_begun()):
            self._start = len(self.watched), self._begun()
        return self._start[1]

    def _has_begun(self) -> bool:
        """Whether nothing that comes now tells where it began, as it was worked out last: it was turned since, or is read too long."""
        first, then = self.watched[0], self.watched[(self._start[0] if self._start else 1) - 1]
        read_s = then.t_s - first.t_s
        return first.alone or read_s > BEGINS_S or (then.turns != first.turns and read_s > LAST_READINGS_S)

    def _begun(self) -> float:
        seen = self.watched
        few: Sequence[Seen] = seen[:1]
        if not seen[0].alone:
            # As long as nothing was turned, every reading tells where it began.
            until = seen[0].t_s + LAST_READINGS_S
            few = [r for r in seen[:40] if r.turns == seen[0].turns and r.t_s <= until]
            few = few if seen[0].turns else few[:FIRST_READINGS]
            mean = sum(self.measure(r) for r in few) / len(few)
            rested = self._at_rest()
            # What had not come to rest when it was first read began where it came to rest.
            return mean if rested is None or abs(rested - mean) <= PASSED_ON_DB else rested
        return sum(self.measure(r) for r in few) / len(few)

    def _at_rest(self) -> float | None:
        """The measure once meter and set had come to rest, before anything was turned; None where it was not read so long."""
        first = self.watched[0]
        still = itertools.takewhile(lambda r: r.turns == first.turns and r.t_s - first.t_s <= BEGINS_S, self.watched)
        rested = [self.measure(r) for r in still if r.t_s - first.t_s > SETTLES_S]
        rested = rested if first.turns else rested[:FIRST_READINGS]
        return sum(rested) / len(rested) if rested and self.reads == "level" else None

    def now(self) -> Now | None:
        """Where it stands now; averaged when readings come by themselves. None before the first."""
        if not self.watched:
            return None
        if self._now is not None and self._now[0] == len(self.watched):
            return self._now[1]
        recent = self.recent(LAST_READINGS_S)
        now = Now(sum(self._measures[-len(recent) :]) / len(recent), sum(r.value for r in recent) / len(recent))
        self._now = len(self.watched), now
        return now

    def recent(self, span_s: float) -> list[Seen]:
        """The last reading, and those before it within a span during which nothing was turned; newest first."""
        last = self.watched[-1]
        recent = [last]
        if last.alone:
            return recent
        for r in reversed(self.watched[-60:-1]):
            if last.t_s - r.t_s > span_s or r.turns != last.turns or r.generator_v != last.generator_v:
                break
            recent.append(r)
        return recent

    def unrest(self) -> float:
        """The standard deviation of the last second's readings: how wide the wedge behind the pointer is.
        Nothing for typed readings: a person reads the middle of the needle's unrest."""
        if not self.watched or self.watched[-1].alone:
            return 0.0
        recent = self._measures[-len(self.recent(UNREST_S)) :]
        if len(recent) <= 2:
            return 0.0
        mean = sum(recent) / len(recent)
        return math.sqrt(sum((m - mean) ** 2 for m in recent) / (len(recent) - 1))

    def turns_of(self, adjuster: str) -> float | None:
        """The turns of an adjuster from the first reading to the last; None where they are not known of every reading: what was turned
        while nobody counted is in none of them."""
        turns = [r.turns.get(adjuster) for r in self.watched]
        if not turns or any(t is None for t in turns):
            return None
        return (turns[-1] or 0.0) - (turns[0] or 0.0)

    def tried(self, adjuster: str) -> tuple[float, float] | None:
        """How far an adjuster was turned, end to end (turns), and between which readings' measures the needle swung; None where unknown."""
        if not self.watched or any(adjuster not in r.turns for r in self.watched):
            return None
        turns = [r.turns[adjuster] for r in self.watched]
        return max(turns) - min(turns), max(self._measures) - min(self._measures)

    def response(self) -> list[tuple[float, float]]:
        """The swept response, rising in frequency: hertz and measure; the newest reading at a frequency counts."""
        newest = {r.generator_hz: self.measure(r) for r in self.swept if r.generator_hz}
        return sorted(newest.items())


def level_db(seen: Seen, *, reference_v: float) -> float:
    """Return a reading in decibels re 1 V, as it would be at a reference level of the generator (V)."""
    change = gain_db(from_v=reference_v, to_v=seen.generator_v) if seen.generator_v else 0.0
    raw = seen.value if seen.unit == "dB" else 20.0 * math.log10(max(seen.value, LEAST_V))
    return raw - change
