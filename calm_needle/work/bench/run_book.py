"""One run, page by page: every act and reading goes through here, is kept, and moves the run on.

Knows nothing of instruments or pages. Not safe between threads: whoever shares it (work.bench.desk) locks it.
"""

import json
import sqlite3
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from calm_needle.core.dossier.model import Group, Model, Step
from calm_needle.core.dossier.read import read_model
from calm_needle.core.procedure.advice import no_peak_finding, why_not_sure
from calm_needle.core.procedure.level_keeper import LevelMove
from calm_needle.core.procedure.rounds import RoundsVerdict, judge_rounds
from calm_needle.core.procedure.run import Act, RunState, Visit, fold, rounds_of, step_at
from calm_needle.core.quantities import Quantity
from calm_needle.errors import CalmNeedleError, FieldsRefused, NotFound, RunMovedOn
from calm_needle.store import runs, shelf
from calm_needle.store.db import transaction
from calm_needle.work.bench.visit_readings import VisitReadings
from calm_needle.work.clock import now_utc
from calm_needle.work.jobs.places import placed_model

LAST_READINGS_S = 0.8  # s over which "now" is averaged when readings come by themselves
FIRST_READINGS = 4  # readings that make the start of such a visit when the turns are not known
METER_LAG_S = 0.1  # how far a meter that the program reads is behind, by its averaging
RUNNABLE = ("peak", "null", "check")  # the step kinds this version leads through
LED_PHASES = ("intermediate frequency",)  # and the phases


class NotSureEnough(CalmNeedleError):
    """A crest is to be taken that was not seen; the person may insist."""


class RunBook:
    """A run with its plan, its state, and the watch over the adjuster in hand."""

    def __init__(self, conn: sqlite3.Connection, run_id: int, *, clock: Callable[[], str] = now_utc) -> None:
        self._conn, self._clock = conn, clock
        row = runs.run(conn, run_id)
        if row is None:
            raise NotFound("run", run_id)
        self.run = row
        job = shelf.job(conn, row.job_id)
        content = shelf.dossier_content(conn, row.dossier_id)
        assert job is not None and content is not None
        self.job = job
        self.model: Model = read_model(json.loads(content))
        self.groups: tuple[Group, ...] = runnable_groups(self.model, row.phase)
        self.state: RunState = fold(self.groups, self._acts())
        self.seen = VisitReadings(None, ())
        last = runs.last_set_up(conn, run_id)
        self._set_up_id = last[0] if last else None
        self._enter()

    # What the run is at.

    @property
    def step(self) -> Step | None:
        """The step in hand, or None before a decision and at the end."""
        return step_at(self.groups, self.state.cursor) if self.state.stage in ("step", "set_up") else None

    def placed_model(self) -> Model:
        """Return the model with its adjusters where they were found on this set."""
        return placed_model(self._conn, self.model, self.job.set_id)

    def level_move(self) -> LevelMove | None:
        """What to do about the generator's level, or None while it is right."""
        return self.seen.level_move(self.state.level_v)

    def rounds_verdict(self) -> RoundsVerdict:
        """Whether the group in hand wants another round."""
        group = self.groups[self.state.cursor.group]
        assert group.gain_below_db is not None
        done = rounds_of(self.groups, self.state, self.state.cursor.group)
        named = [[c._replace(adjuster=self.model.adjuster(c.adjuster).name) for c in cores] for cores in done]
        return judge_rounds(named, worth_db=group.gain_below_db, most_rounds=group.most_rounds)

    # What a person does.

    def set_everything(self, *, level_v: float | None = None) -> None:
        """Confirm that all of the set-up card is set."""
        self._expect("set_up")
        step = self.step
        assert step is not None
        with transaction(self._conn):
            at = self._clock()
            detail = json.dumps({**asdict(step.set_up), "step": step.id})
            self._set_up_id = runs.add_set_up(self._conn, run_id=self.run.id, detail=detail, at_utc=at)
            self._add_act("set", {"level_v": level_v} if level_v else {})
        self._enter()

    def add_reading(
        self,
        quantity: Quantity,
        *,
        kind: str,
        instrument: str,
        turns: float | None = None,
        at_stop: bool = False,
        generator_hz: float | None = None,
        at_utc: str | None = None,
    ) -> runs.ReadingRow:
        """Keep a reading of the step in hand and let the watch see it. On the disk when this returns."""
        self._expect("step")
        step, visit = self.step, self.state.visit
        assert step is not None and visit is not None and self._set_up_id is not None
        self.seen.refuse_what_cannot_be_compared(quantity)
        generator = step.set_up.generator
        at = at_utc or self._clock()
        frequency = generator_hz or (generator.frequency_hz if generator else None)
        reading_id = runs.add_reading(
            self._conn,
            run_id=self.run.id,
            visit_id=visit.id,
            set_up_id=self._set_up_id,
            kind=kind,
            value=quantity.value,
            unit=quantity.unit,
            generator_hz=frequency,
            generator_v=self.state.level_v,
            turns=turns,
            at_stop=at_stop,
            instrument=instrument,
            at_utc=at,
        )
        row = runs.ReadingRow(
            reading_id,
            visit.id,
            kind,
            quantity.value,
            quantity.unit,
            frequency,
            self.state.level_v,
            turns,
            int(at_stop),
            instrument,
            at,
            None,
        )
        self.seen.add(row)
        return row

    def mark(self) -> runs.ReadingRow:
        """Keep what the needle shows now as a marked reading."""
        return self._keep_now("marked")

    def move_level(self) -> None:
        """Go to the generator level that the level keeper asks for."""
        move = self.level_move()
        if move is None:
            raise FieldsRefused({"level": "The level is right as it is."})
        self._record("level", {"level_v": move.level_v, "change_db": move.change_db})

    def clear_wax(self) -> None:
        """Record that the wax was cleared from the core in hand; the watch begins anew, for the tool grips now."""
        self._expect("step")
        step = self.step
        assert step is not None and step.adjusters
        adjuster = self.model.adjuster(step.adjusters[0])
        last = self.seen.kept[-1].id if self.seen.kept else 0
        with transaction(self._conn):
            self._add_act("wax", {"adjuster": adjuster.id, "after_reading": last})
            self._find(adjuster.name, f"Wax was cleared from {adjuster.phrase}.", "It hardly answered the tool before.")
        self._enter()

    def take(self, *, sure: bool = False) -> None:
        """Take the step as it stands and go on. Raises NotSureEnough when no crest was seen and nobody insisted."""
        self._expect("step")
        step, now, verdict = self.step, self.seen.now(), self.seen.verdict_for_a_hand()
        assert step is not None
        if now is None:
            raise FieldsRefused({"reading": "There is no reading yet to take. Read the meter first."})
        if step.kind in ("peak", "null") and verdict.kind != "crest" and not sure:
            raise NotSureEnough(why_not_sure(verdict))
        start = self.seen.start_db()
        detail: dict[str, Any] = {
            "level_db": now[0],
            "start_db": start,
            "gain_db": None if start is None or step.kind == "check" else now[0] - start,
            "value": now[1],
            "unit": self.seen.watched[-1].unit,
            "generator_v": self.seen.watched[-1].generator_v,
            "verdict": verdict.kind,
            "crest_seen": verdict.peak_seen,
            "fall_db": [verdict.fall_before_db, verdict.fall_after_db],
            "wander_db": verdict.wander_db,
            "net_turns": self.seen.net_turns(),
        }
        if step.kind == "check" and "passband" in step.measures and (band := self.seen.passband()):
            detail["passband"] = {"peak_hz": band.peak_hz, "low_hz": band.low_hz, "high_hz": band.high_hz}
        with transaction(self._conn):
            detail["reading"] = self._keep_now("taken").id
            self._add_act("take", detail)
        self._enter()

    def no_peak(self) -> None:
        """Record that the adjuster in hand has no peak, as a finding, and go on."""
        self._expect("step")
        step = self.step
        assert step is not None and step.adjusters
        adjuster, verdict = self.model.adjuster(step.adjusters[0]), self.seen.verdict
        sentence, evidence = no_peak_finding(adjuster.phrase, verdict)
        with transaction(self._conn):
            self._find(adjuster.name, sentence, evidence)
            self._add_act("no_peak", {"verdict": verdict.kind, "net_turns": self.seen.net_turns()})
        self._enter()

    def skip(self, reason: str) -> None:
        """Leave the step out, with a reason."""
        self._expect("step", "set_up")
        if not reason.strip():
            raise FieldsRefused({"reason": "Say in a few words why this step is left out; it stands in the record."})
        with transaction(self._conn):
            if self.state.visit is None:
                self._add_act("begin", {})
            self._add_act("skip", {"reason": reason.strip()[:400]})
        self._enter()

    def back(self) -> None:
        """Go back to the step before; its outcome no longer counts, its readings stay."""
        if self.state.stage == "finished":
            raise RunMovedOn(meant_for="a step", now_at="the end of the run")
        if not any(v.outcome and not v.superseded for v in self.state.visits):
            raise FieldsRefused({"back": "This is the first step."})
        self._record("back", {})

    def decide(self, *, go_on: bool) -> None:
        """Decide about another round."""
        self._expect("decision")
        verdict = self.rounds_verdict()
        self._record("decide", {"go_on": go_on, "sentence": verdict.sentence, "evidence": verdict.evidence, "advised": verdict.go_on})

    def finish(self) -> None:
        """Close the run; its phase is done."""
        self._expect("complete")
        with transaction(self._conn):
            self._add_act("finish", {})
            shelf.mark_phase(self._conn, job_id=self.job.id, phase=self.run.phase, state="done", remark="by this run", at_utc=self._clock())
        self._enter()

    def note(self, words: str) -> None:
        """Keep a note on the step in hand."""
        if not words.strip():
            raise FieldsRefused({"words": "The note is empty. Write it, or leave it with Escape."})
        visit = self.state.visit
        runs.add_note(
            self._conn, run_id=self.run.id, visit_id=visit.id if visit else None, words=words.strip()[:2000], at_utc=self._clock()
        )

    def strike(self, reading_id: int, reason: str) -> None:
        """Strike out a reading of this visit with a reason; the watch forgets it."""
        if not reason.strip():
            raise FieldsRefused({"reason": "Say in a word why the reading does not count: hand on a wire, wrong range."})
        if all(r.id != reading_id or r.struck for r in self.seen.kept):
            raise NotFound("reading of this step that still counts", reading_id)
        runs.strike(self._conn, reading_id=reading_id, reason=reason.strip()[:200], at_utc=self._clock())
        self._enter()

    def strike_since(self, at_utc: str, reason: str) -> None:
        """Strike out every reading of this visit later than a time: what an instrument showed after it can no longer be trusted."""
        late = [r for r in self.seen.kept if r.at_utc > at_utc and r.kind in ("live", "sweep") and r.struck is None]
        if late:
            with transaction(self._conn):
                for reading in late:
                    runs.strike(self._conn, reading_id=reading.id, reason=reason, at_utc=self._clock())
            self._enter()

    # What the record and the pages ask.

    def readings_of(self, visit: Visit) -> list[runs.ReadingRow]:
        return runs.readings_of_visit(self._conn, visit.id)

    def phases_done(self) -> set[str]:
        """The phases of this job that are marked as done."""
        return {m.phase for m in shelf.phase_marks(self._conn, self.job.id).values() if m.state == "done"}

    def findings(self) -> list[runs.FindingRow]:
        return runs.findings(self._conn, self.run.id)

    def notes(self) -> list[runs.NoteRow]:
        return runs.notes(self._conn, self.run.id)

    # Within.

    def _acts(self) -> list[Act]:
        return [Act(a.id, a.kind, a.at_utc, json.loads(a.detail)) for a in runs.acts(self._conn, self.run.id)]

    def _expect(self, *stages: str) -> None:
        if self.state.stage not in stages:
            raise RunMovedOn(meant_for=" or ".join(stages).replace("_", "-"), now_at=self.state.stage.replace("_", "-"))

    def _record(self, kind: str, detail: dict[str, Any]) -> None:
        self._add_act(kind, detail)
        self._enter()

    def _add_act(self, kind: str, detail: dict[str, Any]) -> None:
        runs.add_act(self._conn, run_id=self.run.id, kind=kind, at_utc=self._clock(), detail=json.dumps(detail))

    def _enter(self) -> None:
        """Work out the place anew from the acts, begin the step's visit if it has none, and let the watch see its readings."""
        self.state = fold(self.groups, self._acts())
        if self.state.stage == "step" and self.state.visit is None:
            self._add_act("begin", {})
            self.state = fold(self.groups, self._acts())
        visit = self.state.visit
        rows = runs.readings_of_visit(self._conn, visit.id) if visit else []
        self.seen = VisitReadings(self.step, [r for r in rows if visit and r.id > self._forgotten_until(visit)])

    def _forgotten_until(self, visit: Visit) -> int:
        """The last reading from before the wax was cleared on this visit: the tool's turns meant something else then."""
        clearings = [a for a in self._acts() if a.kind == "wax" and a.id > visit.id]
        return int(clearings[-1].detail["after_reading"]) if clearings else 0

    def _keep_now(self, kind: str) -> runs.ReadingRow:
        now = self.seen.now()
        if now is None:
            raise FieldsRefused({"reading": "There is no reading yet to keep."})
        last = self.seen.watched[-1]
        return self.add_reading(Quantity(now[1], last.unit), kind=kind, instrument=last.instrument, turns=last.turns)

    def _find(self, subject: str, sentence: str, evidence: str) -> None:
        runs.add_finding(self._conn, run_id=self.run.id, subject=subject, sentence=sentence, evidence=evidence, at_utc=self._clock())


def runnable_groups(model: Model, phase: str) -> tuple[Group, ...]:
    """Return the groups of a phase that this version can lead a person through: all steps of kinds it knows."""
    if phase not in LED_PHASES:
        return ()
    return tuple(g for g in model.groups_of(phase) if all(s.kind in RUNNABLE for s in g.steps))
