"""One run, page by page: every act and reading goes through here, is kept, and moves the run on.

Knows nothing of instruments or pages. Not safe between threads: whoever shares it (work.bench.desk) locks it.
"""

import json
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import asdict
from typing import Any

from calm_needle.core.dossier.model import Model, Step
from calm_needle.core.dossier.read import read_model, resolved_group
from calm_needle.core.procedure.advice import no_peak_finding, why_not_sure
from calm_needle.core.procedure.level_keeper import LevelMove
from calm_needle.core.procedure.plan import Plan, plan_data, read_plan
from calm_needle.core.procedure.rounds import RoundsVerdict, judge_rounds
from calm_needle.core.procedure.run import Act, RunState, Visit, fold, rounds_of
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
        self._begun_with: Plan = read_plan(json.loads(runs.plan_of_run(conn, run_id)))
        self.state: RunState = self._fold()
        self.seen = VisitReadings(None, ())
        last = runs.last_set_up(conn, run_id)
        self._set_up_id = last[0] if last else None
        self._enter()

    # What the run is at.

    @property
    def plan(self) -> Plan:
        """What the run leads through, with what was added to it since it began."""
        return self.state.plan

    @property
    def step(self) -> Step | None:
        """The step in hand, or None before a decision and at the end."""
        return self.state.step

    def placed_model(self) -> Model:
        """Return the model with its adjusters where they were found on this set."""
        return placed_model(self._conn, self.model, self.job.set_id)

    def level_move(self) -> LevelMove | None:
        """What to do about the generator's level, or None while it is right."""
        return self.seen.level_move(self.state.level_v)

    def rounds_verdict(self) -> RoundsVerdict:
        """Whether the group in hand wants another round."""
        assert self.state.place is not None
        group = self.plan.group(self.state.place.group_id)
        assert group.gain_below_db is not None
        done = rounds_of(self.state, group.id)
        named = [[c._replace(adjuster=self.model.adjuster(c.adjuster).name) for c in cores] for cores in done]
        return judge_rounds(named, worth_db=group.gain_below_db, most_rounds=group.most_rounds)

    # What a person does.

    def set_everything(self, *, level_v: float | None = None) -> None:
        """Confirm that all of the set-up card is set."""
        self._expect("set_up")
        step = self.step
        assert step is not None
        with self._acting():
            at = self._clock()
            detail = json.dumps({**asdict(step.set_up), "step": step.id})
            self._set_up_id = runs.add_set_up(self._conn, run_id=self.run.id, detail=detail, at_utc=at)
            self._add_act("set", {**self._here(), **({"level_v": level_v} if level_v else {})})

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
        with self._acting():
            self._add_act("wax", {**self._here(), "adjuster": adjuster.id, "after_reading": last})
            self._find(adjuster.name, f"Wax was cleared from {adjuster.phrase}.", "It hardly answered the tool before.")

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
        with self._acting():
            detail["reading"] = self._keep_now("taken").id
            self._add_act("take", {**self._here(), **detail})

    def no_peak(self) -> None:
        """Record that the adjuster in hand has no peak, as a finding, and go on."""
        self._expect("step")
        step = self.step
        assert step is not None and step.adjusters
        adjuster, verdict = self.model.adjuster(step.adjusters[0]), self.seen.verdict
        sentence, evidence = no_peak_finding(adjuster.phrase, verdict)
        with self._acting():
            self._find(adjuster.name, sentence, evidence)
            self._add_act("no_peak", {**self._here(), "verdict": verdict.kind, "net_turns": self.seen.net_turns()})

    def skip(self, reason: str) -> None:
        """Leave the step out, with a reason."""
        self._expect("step", "set_up")
        if not reason.strip():
            raise FieldsRefused({"reason": "Say in a few words why this step is left out; it stands in the record."})
        with self._acting():
            if self.state.visit is None:
                self._add_act("begin", self._here())
            self._add_act("skip", {**self._here(), "reason": reason.strip()[:400]})

    def back(self) -> None:
        """Go back to the step before; its outcome no longer counts, its readings stay."""
        if self.state.stage == "finished":
            raise RunMovedOn(meant_for="a step", now_at="the end of the run")
        before = self.state.reopens()
        if before is None:
            raise FieldsRefused({"back": "This is the first step."})
        self._record("back", {"visit": before.id})

    def decide(self, *, go_on: bool) -> None:
        """Decide about another round."""
        self._expect("decision")
        verdict, place = self.rounds_verdict(), self.state.place
        assert place is not None
        said = {"sentence": verdict.sentence, "evidence": verdict.evidence, "advised": verdict.go_on}
        self._record("decide", {"group_id": place.group_id, "round": place.round, "go_on": go_on, **said})

    def finish(self) -> None:
        """Close the run; its phase is done."""
        self._expect("complete")
        with self._acting():
            self._add_act("finish", {})
            shelf.mark_phase(self._conn, job_id=self.job.id, phase=self.run.phase, state="done", remark="by this run", at_utc=self._clock())

    def extend(self, groups: list[dict[str, Any]]) -> None:
        """Add groups, as the dossier writes them, to the end of the plan. Raises FieldsRefused for an id that is there already."""
        if self.state.stage == "finished":
            raise RunMovedOn(meant_for="a step", now_at="the end of the run")
        taken = {g.id for g in self.plan.groups} | {s.id for s in self.plan.steps}
        for name in [g["id"] for g in groups] + [s["id"] for g in groups for s in g["steps"]]:
            if name in taken:
                raise FieldsRefused({"groups": f"“{name}” is in the plan already."})
        self._record("extend", {"groups": [resolved_group(g, self.model.adjusters) for g in groups]})

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

    def _expect(self, *stages: str) -> None:
        if self.state.stage not in stages:
            raise RunMovedOn(meant_for=" or ".join(stages).replace("_", "-"), now_at=self.state.stage.replace("_", "-"))

    def _fold(self) -> RunState:
        acts = [Act(a.id, a.kind, a.at_utc, json.loads(a.detail)) for a in runs.acts(self._conn, self.run.id)]
        self._last_act = acts[-1].id if acts else 0
        return fold(self._begun_with, acts)

    def _here(self) -> dict[str, Any]:
        """What an act names: the step that it is meant for, and its round."""
        place = self.state.place
        assert place is not None and place.step_id is not None
        return {"step_id": place.step_id, "round": place.round}

    @contextmanager
    def _acting(self) -> Iterator[None]:
        """Write acts on the state as this book knows it, all or none of them; then work out the new place.

        Raises RunMovedOn when somebody else has written to the run meanwhile, and reads what stands there.
        """
        try:
            with transaction(self._conn):
                if runs.last_act(self._conn, self.run.id) != self._last_act:
                    raise RunMovedOn(meant_for="the run as this window shows it", now_at="another place, by another program")
                yield
        except RunMovedOn:
            self._enter()
            raise
        self._enter()

    def _record(self, kind: str, detail: dict[str, Any]) -> None:
        with self._acting():
            self._add_act(kind, detail)

    def _add_act(self, kind: str, detail: dict[str, Any]) -> None:
        runs.add_act(self._conn, run_id=self.run.id, kind=kind, at_utc=self._clock(), detail=json.dumps(detail))

    def _enter(self) -> None:
        """Work out the place anew from the acts, begin the step's visit if it has none, and let the watch see its readings."""
        self.state = self._fold()
        if self.state.stage == "step" and self.state.visit is None:
            self._add_act("begin", self._here())
            self.state = self._fold()
        visit = self.state.visit
        rows = runs.readings_of_visit(self._conn, visit.id) if visit else []
        self.seen = VisitReadings(self.step, [r for r in rows if visit and r.id > self._forgotten_until(visit)])

    def _forgotten_until(self, visit: Visit) -> int:
        """The last reading from before the wax was cleared on this visit: the tool's turns meant something else then."""
        clearings = [a for a in runs.acts(self._conn, self.run.id) if a.kind == "wax" and a.id > visit.id]
        return int(json.loads(clearings[-1].detail)["after_reading"]) if clearings else 0

    def _keep_now(self, kind: str) -> runs.ReadingRow:
        now = self.seen.now()
        if now is None:
            raise FieldsRefused({"reading": "There is no reading yet to keep."})
        last = self.seen.watched[-1]
        return self.add_reading(Quantity(now[1], last.unit), kind=kind, instrument=last.instrument, turns=last.turns)

    def _find(self, subject: str, sentence: str, evidence: str) -> None:
        runs.add_finding(self._conn, run_id=self.run.id, subject=subject, sentence=sentence, evidence=evidence, at_utc=self._clock())


def begin_run(conn: sqlite3.Connection, *, job_id: int, phase: str, at_utc: str, bench: str | None = None) -> int:
    """Begin a run of a phase of a job by its dossier as it is now, and return its id. Raises NotFound, FieldsRefused for an empty plan.

    bench: where its readings come from, when not as the job says.
    """
    job = shelf.job(conn, job_id)
    if job is None:
        raise NotFound("job", job_id)
    model = read_model(json.loads(shelf.dossier_content(conn, job.dossier_id) or "{}"))
    plan = plan_data(model, phase)
    if not plan["groups"]:
        raise FieldsRefused({"phase": f"The dossier has no steps for “{phase}” that this version can lead through."})
    with transaction(conn):
        return runs.add_run(
            conn,
            job_id=job_id,
            dossier_id=job.dossier_id,
            phase=phase,
            bench=bench or job.bench,
            plan=json.dumps(plan, ensure_ascii=False),
            at_utc=at_utc,
        )
