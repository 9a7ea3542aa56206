"""The readings of the step in hand, as they compare with each other: where it began, where it stands now, what the watch makes of them."""

import math
from collections.abc import Sequence

from calm_needle.core.dossier.model import Step
from calm_needle.core.physics.levels import gain_db
from calm_needle.core.physics.passband import Passband, passband
from calm_needle.core.plausible import reading_instead
from calm_needle.core.procedure.level_keeper import LevelMove, keep_level
from calm_needle.core.procedure.watch.peak_watch import Goal, PeakWatch, Verdict
from calm_needle.core.quantities import Quantity, format_si
from calm_needle.errors import FieldsRefused
from calm_needle.store.runs import ReadingRow
from calm_needle.work.clock import seconds

LAST_READINGS_S = 0.8  # s over which "now" is averaged when readings come by themselves
FIRST_READINGS = 4  # readings that make the start of such a visit when the turns are not known
ANSWER_S = 1.5  # from what is read on the page to the key that is pressed
STILL_DB = 0.5  # a reading that has moved by less, where nobody counts the turns
METER_LAG_S = 0.1  # how far a meter that the program reads is behind, by its averaging


class VisitReadings:
    """The readings of one visit to a step. `add` each as it comes; those struck out count for nothing but stay in `kept`."""

    def __init__(self, step: Step | None, rows: Sequence[ReadingRow]) -> None:
        self.step = step
        self.kept: list[ReadingRow] = []
        self.watched: list[ReadingRow] = []  # those that count for the watch
        self._watch = PeakWatch(goal=self.goal)
        self._advised: tuple[ReadingRow, Verdict] | None = None  # the last reading at which a crest was said to be there
        for row in rows:
            self.add(row)

    @property
    def goal(self) -> Goal:
        return "minimum" if self.step is not None and self.step.kind == "null" else "maximum"

    @property
    def verdict(self) -> Verdict:
        found = self._watch.verdict()
        if found.kind == "crest" and self.watched:
            self._advised = self.watched[-1], found
        return found

    def verdict_for_a_hand(self) -> Verdict:
        """The verdict that a person acts on: a crest that was shown within the time of a hand's answer, if nothing was turned since.

        Readings go on while a key is pressed, and wander may take away for a moment what the page has just said.
        """
        now = self.verdict
        if now.kind == "crest" or self._advised is None:
            return now
        last, (shown, crest) = self.watched[-1], self._advised
        still = last.kind == "live" and last.turns == shown.turns and last.generator_v == shown.generator_v
        if last.turns is None:
            still = still and abs(self.decibels(last) - self.decibels(shown)) <= STILL_DB
        return crest if still and seconds(last.at_utc) - seconds(shown.at_utc) <= ANSWER_S else now

    def add(self, row: ReadingRow) -> None:
        """Take a reading in, and let the watch see it."""
        self.kept.append(row)
        if row.kind in ("live", "typed") and row.struck is None:
            self.watched.append(row)
            self._watch.add(
                level_db=self.decibels(row),
                time_s=seconds(row.at_utc),
                turns=row.turns,
                at_stop=bool(row.at_stop),
                lag_s=METER_LAG_S if row.kind == "live" else 0.0,
                alone=row.kind == "typed",
            )

    def decibels(self, reading: ReadingRow) -> float:
        """A reading in decibels re 1 V at the step's own generator level: comparable whatever the generator was turned to."""
        step = self.step
        return decibels_at(reading, step.set_up.generator.level_v if step and step.set_up.generator else 1.0)

    def start_db(self) -> float | None:
        """The level at the first readings of this visit (dB), or None."""
        seen = self.watched
        if not seen:
            return None
        few = seen[:1]
        if _comes_by_itself(seen):
            # As long as nothing was turned, every reading tells where it began.
            until = seconds(seen[0].at_utc) + LAST_READINGS_S
            few = [r for r in seen[:40] if r.turns == seen[0].turns and seconds(r.at_utc) <= until]
            few = few if seen[0].turns is not None else few[:FIRST_READINGS]
        return sum(self.decibels(r) for r in few) / len(few)

    def now(self) -> tuple[float, float] | None:
        """The level now: decibels, and the value in the indicator's unit; averaged when readings come by themselves."""
        seen = self.watched
        if not seen:
            return None
        last = seen[-1]
        recent = [last]
        if _comes_by_itself(seen):
            until = seconds(last.at_utc)
            for reading in reversed(seen[-40:-1]):
                late = until - seconds(reading.at_utc) > LAST_READINGS_S
                if late or reading.turns != last.turns or reading.generator_v != last.generator_v:
                    break
                recent.append(reading)
        return sum(self.decibels(r) for r in recent) / len(recent), sum(r.value for r in recent) / len(recent)

    def level_move(self, level_v: float | None) -> LevelMove | None:
        """What to do about the generator, which stands at level_v; None while it is right, or nothing can be said."""
        step, now = self.step, self.now()
        if step is None or now is None or step.set_up.indicator is None or not step.set_up.indicator.window_v or level_v is None:
            return None
        if self.watched[-1].unit != "V" or self.watched[-1].generator_v != level_v:
            return None  # not volts; or the level was moved, and no reading has come since
        window = step.set_up.indicator.window_v
        if step.kind == "null":
            # A null goes into the noise, and that is its purpose: only the upper limit holds.
            window = (0.0, window[1])
        return keep_level(indicator_v=now[1], window_v=window, level_v=level_v)

    def net_turns(self) -> float | None:
        """The turns from the first reading to the last, where they are known."""
        known = [r.turns for r in self.watched if r.turns is not None]
        return known[-1] - known[0] if known else None

    def sweep_points(self) -> list[tuple[float, float]]:
        """The swept response: frequency (Hz) and level (dB)."""
        return [(r.generator_hz, self.decibels(r)) for r in self.kept if r.kind == "sweep" and r.struck is None and r.generator_hz]

    def passband(self) -> Passband | None:
        """The pass-band of the swept response, or None while it cannot be told."""
        points = sorted(dict(self.sweep_points()).items())
        return passband(frequencies_hz=[f for f, _ in points], levels_db=[v for _, v in points])

    def doubt(self, quantity: Quantity) -> str | None:
        """Return the question to ask about a typed reading that is out of all scale with the one before, or None."""
        last = self.watched[-1] if self.watched else None
        if last is None or quantity.unit != "V" or last.unit != "V":
            return None
        likely = reading_instead(quantity.value, before=last.value)
        if likely is None:
            return None
        shown, before, meant = (format_si(v, unit="V", digits=3) for v in (quantity.value, last.value, likely))
        return f"{shown}, after {before}? Perhaps {meant} was meant. Keep {shown} all the same?"

    def refuse_what_cannot_be_compared(self, quantity: Quantity) -> None:
        """Raise FieldsRefused for a reading that no meter shows, or in another unit than the others of this visit."""
        if quantity.unit == "V" and quantity.value < 0:
            raise FieldsRefused({"reading": "A meter of alternating volts shows no minus. Was it decibels? Then write dB."})
        other = next((r for r in self.watched[:1] if r.unit != quantity.unit), None)
        if other:
            raise FieldsRefused(
                {"reading": f"This step’s readings are in {other.unit} so far, and {quantity.unit} cannot be compared with them."}
            )


def decibels_at(reading: ReadingRow, reference_v: float) -> float:
    """Return a reading in decibels re 1 V, as it would be at a reference level of the generator (V)."""
    change = gain_db(from_v=reference_v, to_v=reading.generator_v) if reading.generator_v else 0.0
    raw = reading.value if reading.unit == "dB" else 20.0 * math.log10(max(reading.value, 1e-9))
    return raw - change


def _comes_by_itself(readings: Sequence[ReadingRow]) -> bool:
    return readings[0].kind == "live"
