"""The readings of the step in hand, as they were kept, and what the judge of its kind makes of them."""

import json
from collections.abc import Sequence

from calm_needle.clock import seconds
from calm_needle.core.dossier.model import Model, Step
from calm_needle.core.plausible import MOST_BELIEVABLE, MOST_OF_ALL, reading_instead
from calm_needle.core.procedure.closing import AS_YET, SoFar
from calm_needle.core.procedure.judge import Context, Judge, Moment, Standing
from calm_needle.core.procedure.kinds.kind import StepKind
from calm_needle.core.procedure.kinds.table import KINDS
from calm_needle.core.procedure.level_keeper import LevelMove, keep_level
from calm_needle.core.procedure.series import Seen, Series
from calm_needle.core.quantities import Quantity, format_si
from calm_needle.errors import FieldsRefused
from calm_needle.store.runs import ReadingRow

ANSWER_S = 1.5  # from what is read on the page to the key that is pressed
STILL_DB = 0.5  # a reading that has moved by less, where nobody counts the turns
COUNT = ("live", "typed")  # the readings that follow one another under the needle


class VisitReadings:
    """The readings of one visit to a step. `add` each as it comes; those struck out count for nothing but stay in `kept`."""

    def __init__(
        self, model: Model, step: Step | None, rows: Sequence[ReadingRow], *, judge: Judge | None = None, so_far: SoFar = AS_YET
    ) -> None:
        self.step = step
        self.kind: StepKind | None = KINDS[step.kind] if step else None
        self.series = Series(step, self.kind.reads if self.kind else "level")
        self.kept: list[ReadingRow] = []
        self.watched: list[ReadingRow] = []  # those that count, in the series' order
        self._judge = judge or (self.kind.judge(step, Context(model, self.series, so_far)) if self.kind and step else None)
        self.slipped = False  # the tool was said to slip on this visit: what clears it stays offered
        self._clock_back_s = 0.0  # by which the clock was put back since the first reading
        self._advised: tuple[ReadingRow, Standing] | None = None  # the last reading at which it was said that it may be taken
        for row in rows:
            self.add(row)

    def add(self, row: ReadingRow) -> None:
        """Take a reading in, and let the judge see it."""
        self.kept.append(row)
        if row.struck is not None or row.kind == "taken":
            return
        seen = self.as_seen(row)
        before = self.series.watched[-1].t_s if self.series.watched else seen.t_s
        if seen.t_s < before:
            # A clock that was put back: the readings are still in their order, and time goes on from the one before.
            self._clock_back_s += before - seen.t_s
            seen = self.as_seen(row)
        self.series.add(seen)
        if row.kind in COUNT:
            self.watched.append(row)
        if self._judge:
            self._judge.add(seen)

    def as_seen(self, row: ReadingRow) -> Seen:
        """A kept reading as its judge sees it."""
        turns: dict[str, float] = json.loads(row.other_turns) if row.other_turns else {}
        if row.turns is not None and self.step and self.step.adjusters:
            turns = {self.step.adjusters[0]: row.turns, **turns}
        at_s = seconds(row.at_utc) + self._clock_back_s
        generator = (row.generator_hz, row.generator_v)
        return Seen(at_s, row.value, row.unit, row.kind, *generator, row.dial_hz, turns, bool(row.at_stop), row.way)

    def standing(self, moment: Moment) -> Standing | None:
        """How the step stands, or None where there is none."""
        if self._judge is None:
            return None
        standing = self._judge.standing(moment)
        self.slipped |= standing.move.way == "slipping"
        if standing.may_take and self.watched:
            self._advised = self.watched[-1], standing
        return standing

    def standing_for_a_hand(self, moment: Moment) -> Standing | None:
        """How it stands for a person who presses a key: what was shown within the time of a hand's answer, if nothing was turned since.

        Readings go on while a key is pressed, and wander may take away for a moment what the page has just said.
        """
        now = self.standing(moment)
        if now is None or now.may_take or self._advised is None:
            return now
        last, (shown, advised) = self.watched[-1], self._advised
        still = last.kind == "live" and (last.turns, last.other_turns) == (shown.turns, shown.other_turns)
        still = still and last.generator_v == shown.generator_v
        if last.turns is None and self.series.reads == "level":
            still = still and abs(self.measure(last) - self.measure(shown)) <= STILL_DB
        return advised if still and seconds(last.at_utc) - seconds(shown.at_utc) <= ANSWER_S else now

    def measure(self, row: ReadingRow) -> float:
        """A kept reading as it is compared with others."""
        return self.series.measure(self.as_seen(row))

    def level_move(self, level_v: float | None) -> LevelMove | None:
        """What to do about the generator, which stands at level_v; None while it is right, or nothing can be said."""
        step, now, kind = self.step, self.series.now(), self.kind
        if step is None or kind is None or now is None or level_v is None or self.series.reads != "level":
            return None
        watched = step.set_up.watched
        if watched is None or not watched.window or self.watched[-1].unit != "V" or self.watched[-1].generator_v != level_v:
            return None  # not volts; or the level was moved, and no reading has come since
        low, high = watched.window
        return keep_level(indicator_v=now.value, window_v=(low if kind.lower_limit else 0.0, high), level_v=level_v)

    @property
    def units(self) -> tuple[str, ...]:
        """The units in which a reading of this step may be typed; the first is meant when none is typed."""
        return ("V", "dB") if self.series.reads == "level" and self.series.unit == "V" else (self.series.unit,)

    def doubt(self, quantity: Quantity) -> str | None:
        """Return the question to ask about a typed reading that is out of all scale with the one before, or None."""
        last = self.watched[-1] if self.watched else None
        if last is None or quantity.unit != "V" or last.unit != "V" or self.series.reads != "level":
            return None
        likely = reading_instead(quantity.value, before=last.value)
        if likely is None:
            return None
        shown, before, meant = (format_si(v, unit="V", digits=3) for v in (quantity.value, last.value, likely))
        return f"{shown}, after {before}? Perhaps {meant} was meant. Keep {shown} all the same?"

    def refuse_what_cannot_be_compared(self, quantity: Quantity) -> None:
        """Raise FieldsRefused for a reading that no meter shows, or in another unit than this step or the others of this visit have."""
        if quantity.unit == "V" and quantity.value < 0 and self.series.reads == "level":
            raise FieldsRefused({"reading": "A meter of alternating volts shows no minus. Was it decibels? Then write dB."})
        if abs(quantity.value) > MOST_BELIEVABLE.get(quantity.unit, MOST_OF_ALL):
            raise FieldsRefused(
                {"reading": f"{format_si(quantity.value, unit=quantity.unit, digits=3)} is more than any meter here shows."}
            )
        if quantity.unit not in self.units:
            raise FieldsRefused({"reading": f"This step is read in {self.units[0]}, and {quantity.unit} cannot be compared with it."})
        other = next((r for r in self.watched[:1] if r.unit != quantity.unit), None)
        if other:
            raise FieldsRefused(
                {"reading": f"This step’s readings are in {other.unit} so far, and {quantity.unit} cannot be compared with them."}
            )
