"""One run, page by page: every act and reading goes through here, is kept, and moves the run on.

Knows nothing of instruments or pages. Not safe between threads: whoever shares it (work.bench.desk) locks it.
"""

import json
import sqlite3
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any

from calm_needle.clock import clock_of, seconds
from calm_needle.core.dossier.model import TUNING_ID, Adjuster, Model, Step
from calm_needle.core.dossier.read import read_model, resolved_group
from calm_needle.core.plausible import likely_instead
from calm_needle.core.procedure.decision import Decision
from calm_needle.core.procedure.done import again_groups, so_far, unmet
from calm_needle.core.procedure.forecast import Pair
from calm_needle.core.procedure.judge import Moment, Standing
from calm_needle.core.procedure.kinds.level import why_not_dead, why_not_this_core
from calm_needle.core.procedure.level_keeper import LevelMove
from calm_needle.core.procedure.plan import Plan, plan_data, read_plan
from calm_needle.core.procedure.rounds import RoundsVerdict, judge_rounds
from calm_needle.core.procedure.run import Act, RunState, Visit, fold_what_fits, rounds_of
from calm_needle.core.procedure.stale import STILL_TURNS, Change, Stale, made_stale
from calm_needle.core.quantities import Quantity, format_plain
from calm_needle.errors import CalmNeedleError, FieldsRefused, NotFound, RunMovedOn
from calm_needle.store import runs, shelf
from calm_needle.store.db import transaction
from calm_needle.work.bench.deciding import decision_of, option_of, wishes_here
from calm_needle.work.bench.visit_readings import VisitReadings
from calm_needle.work.house_style import style_of
from calm_needle.work.jobs.carriers import known_carriers
from calm_needle.work.jobs.places import placed_model
from calm_needle.work.soundness.power import Power, on_for_work, power_of, why_silent

FORGETS = ("wax", "level", "changed")  # acts after which what was read before is no beginning to compare with
BY_ITSELF = {"instruments": "counter"}  # how frequencies are read at a bench, where nobody says it


class NotSureEnough(CalmNeedleError):
    """A crest is to be taken that was not seen; the person may insist."""


class RunBook:
    """A run with its plan, its state, and the watch over the adjuster in hand."""

    def __init__(self, conn: sqlite3.Connection, run_id: int, *, clock: Callable[[], str] | None = None) -> None:
        self._conn, self._clock = conn, clock or clock_of(conn).text
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
        self.asked: dict[str, Any] = {}  # what a person has added to the question of a decision
        self._decided: tuple[tuple[int, str], Decision | None] | None = None
        self.state: RunState = self._fold()
        self.seen = VisitReadings(self.model, None, ())
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

    @property
    def here(self) -> str:
        """What an act names that is meant for the place the run is at: the open visit, or the act by which it came there."""
        visit = self.state.visit
        return str(visit.id) if visit else f"after-{self._last_act}"

    @property
    def where(self) -> str:
        """Where the run is, as a sentence says it."""
        step = self.step
        match self.state.stage:
            case "set_up" if step:
                return f"the set-up for “{step.title}”"
            case "step" if step:
                return f"“{step.title}”"
            case "decision":
                return "the decision about another round"
            case "complete":
                return "the end of its steps"
        return "its end"

    def placed_model(self) -> Model:
        """Return the model with its adjusters where they were found on this set."""
        return placed_model(self._conn, self.model, self.job.set_id)

    def power(self) -> Power:
        """Return whether the job's set is on, as the log of its start says."""
        return power_of(self._conn, self.job.id, safety_class=self.model.safety_class)

    def silent(self) -> str:
        """Why nothing that the set gives now can be compared: it is off, or behind a limiter; empty where it is on, or nobody has said."""
        return why_silent(self._conn, self.job.id, safety_class=self.model.safety_class)

    def standing(self, *, can_sweep: bool = False, sweeping: float | None = None) -> Standing | None:
        """How the step in hand stands, or None where there is none. can_sweep, sweeping: what the bench can do, and is doing."""
        return self.seen.standing(self._moment(can_sweep=can_sweep, sweeping=sweeping))

    def level_move(self) -> LevelMove | None:
        """What to do about the generator's level, or None while it is right."""
        return self.seen.level_move(self.state.level_v)

    def rounds_verdict(self) -> RoundsVerdict:
        """Whether the group in hand wants another round."""
        assert self.state.place is not None
        group = self.plan.group(self.state.place.group_id)
        if group.repeat is None:
            raise FieldsRefused({"decision": "This is not about another round; choose one of the ways that are shown."})
        names = {a.id: a.name for a in self.model.adjusters}
        done = rounds_of(self.state, group.id)
        named = [[c._replace(adjuster=names.get(c.adjuster, c.adjuster)) for c in cores] for cores in done]
        turned = [self.model.adjuster(a) for s in group.steps for a in s.adjusters]
        kinds = {a.kind for a in turned}
        noun = f"{kinds.pop()}s" if len(kinds) == 1 else "adjusters"
        return judge_rounds(named, rule=group.repeat, noun=noun, pairs=_pairs(self.model, turned))

    def decision(self, asked: Mapping[str, Any] | None = None) -> Decision | None:
        """Return what is to be decided at the end of the group in hand; None where that is another round, or nothing. asked: what a person
        adds to the question (listens_hz, touch_up).
        """
        about = {**self.asked, **(asked or {})}
        key = (self._last_act, json.dumps(about, sort_keys=True))
        if self._decided is None or self._decided[0] != key:  # worked out once, however many parts of a page ask
            self._decided = key, decision_of(self._conn, model=self.model, state=self.state, job_id=self.job.id, asked=about)
        return self._decided[1]

    @property
    def listens_hz(self) -> float | None:
        """Where the owner listens on the band in hand: as a person has just said, or as intake has it."""
        known: dict[str, float | None] = wishes_here(self._conn, model=self.model, state=self.state, job_id=self.job.id) | self.asked
        return known.get("listens_hz")

    def in_its_band(self, at_hz: float, *, sure: bool) -> float:
        """Return a frequency on the band in hand. sure: where another was probably meant, that is taken.

        Raises NotSureEnough where another was probably meant, FieldsRefused for one that is nowhere on the band.
        """
        group = self.plan.group(self.state.place.group_id) if self.state.place else None
        tuning = group.steps[0].set_up.tuning if group and group.steps else None
        band = next((b for b in self.model.bands if tuning and b.id == tuning.band), None)
        if band is None or band.f_low_hz <= at_hz <= band.f_high_hz:
            return at_hz
        low, high, here = (format_plain(f, unit="Hz") for f in (band.f_low_hz, band.f_high_hz, at_hz))
        meant = likely_instead(at_hz, sensible=(band.f_low_hz, band.f_high_hz))
        if meant is None:
            raise FieldsRefused({"listens": f"{here} is not on {band.name}, which goes from {low} to {high}."})
        if not sure:
            raise NotSureEnough(f"{here} is not on {band.name}. Was {format_plain(meant, unit='Hz')} meant?")
        return meant

    # What a person does.

    def set_everything(self, *, level_v: float | None = None) -> None:
        """Confirm that all of the set-up card is set."""
        self._expect("set_up")
        step = self.step
        assert step is not None
        with self._acting():
            at = self._clock()
            detail = json.dumps({**self.plan.set_of(step.id), "step": step.id}, ensure_ascii=False)
            self._set_up_id = runs.add_set_up(self._conn, run_id=self.run.id, detail=detail, at_utc=at)
            self._add_act("set", {**self._here(), **({"level_v": level_v} if level_v else {})})
            if self.step and self.step.set_up.watched:
                on_for_work(self._conn, self.job.id, at_utc=self._clock())

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
        dial_hz: float | None = None,
        other_turns: dict[str, float] | None = None,
    ) -> runs.ReadingRow:
        """Keep a reading of the step in hand and let its judge see it. On the disk when this returns.

        turns: of the step's first adjuster; other_turns: of its others; each where it is known.
        """
        self._expect("step")
        step, visit = self.step, self.state.visit
        assert step is not None and visit is not None and self._set_up_id is not None
        self.seen.refuse_what_cannot_be_compared(quantity)
        source, watched, tuning = step.set_up.source, step.set_up.watched, step.set_up.tuning
        at = at_utc or self._clock()
        frequency = generator_hz or (source.frequency_hz if source else None)
        others = json.dumps(other_turns) if other_turns else None
        about = (watched.quantity if watched else None, dial_hz or tuning.dial_hz, others)
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
            quantity=about[0],
            dial_hz=about[1],
            other_turns=about[2],
            way=(way := self._way(kind, turns, at)),
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
            *about,
            way,
        )
        self.seen.add(row)
        return row

    def mark(self) -> runs.ReadingRow:
        """Keep what the needle shows now as a marked reading."""
        return self._keep_now("marked")

    def move_level(self, move: LevelMove | None = None) -> None:
        """Go to the generator level that the level keeper asks for, or asked for a moment ago."""
        move = move or self.level_move()
        if move is None:
            raise FieldsRefused({"level": "The level is right as it is."})
        detail: dict[str, Any] = {"level_v": move.level_v, "change_db": move.change_db}
        if self.seen.kept and self._nothing_turned():
            # Beyond its threshold the gain control hides what the level does: what was read there is no beginning to compare with.
            detail["after_reading"] = self.seen.kept[-1].id
        self._record("level", detail)

    def turn_back(self) -> None:
        """Record that the hand turns back from now on."""
        self._expect("step")
        self._say_way(-self.state.hand.last)

    def hands_off(self) -> None:
        """Record that the hand is off from now on; said again, that it turns on as before."""
        self._expect("step")
        hand = self.state.hand
        self._say_way(hand.last if hand.way == 0 else 0)

    def see_turns(self, *, seen: bool) -> None:
        """Record whether the program is to see the turns of a practice set, which nobody sees on a real one."""
        self._record("blind", {"blind": not seen})

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

    def set_was_changed(self, words: str) -> None:
        """Record that something in the set was changed while a step is in hand: it begins anew, so that no turning is credited with what
        the change did. Where no step is in hand, nothing is recorded."""
        if self.state.stage != "step" or self.step is None:
            return
        last = self.seen.kept[-1].id if self.seen.kept else 0
        with self._acting():
            self._add_act("changed", {**self._here(), "words": words, "after_reading": last})

    def take(self, *, sure: bool = False, answer: str | None = None, can_sweep: bool = False) -> None:
        """Take the step as it stands and go on. Raises NotSureEnough when it is not as it should be and nobody insisted.

        answer: what a person says to a step that asks.
        """
        self._expect("step")
        standing = self.seen.standing_for_a_hand(self._moment(answer=answer, can_sweep=can_sweep))
        assert standing is not None
        if standing.refusal:
            raise FieldsRefused({"reading": standing.refusal})
        if not standing.may_take and not sure:
            raise NotSureEnough(standing.doubt)
        detail = {"verdict": standing.verdict, **self._measured(), **standing.detail, **self._since_a_change()}
        if standing.figure:
            detail["figure"] = standing.figure._asdict()
        with self._acting():
            if self.seen.watched:
                detail["reading"] = self._keep_now("taken").id
            if standing.finding and self.turned():
                self._find(f"IF strip, {self.step.title.lower()}" if self.step else "IF strip", *standing.finding)
            self._add_act("take", {**self._here(), **detail})

    def no_peak(self, *, sure: bool = False) -> None:
        """Record that the adjuster in hand has no peak, as a finding, and go on. Raises NotSureEnough while wax may hold it."""
        self._expect("step")
        step = self.step
        assert step is not None and step.adjusters
        adjuster, standing = self.model.adjuster(step.adjusters[0]), self.standing()
        if standing is None or standing.nothing is None:
            raise FieldsRefused({"reading": "At this step there is nothing that could be missing. Take it, or leave it out with a reason."})
        why_not = [] if adjuster.id in self.state.waxed_cleared else [why_not_dead(adjuster, standing.verdict)]
        net, tried = self.seen.series.turns_of(adjuster.id), self.seen.series.tried(adjuster.id)
        if net is None:  # nobody but the hand knows which core it turned
            why_not.append(why_not_this_core(self.placed_model(), adjuster))
        why_not.append(standing.bring_back)
        if not sure and any(why_not):
            raise NotSureEnough(" ".join([*filter(None, why_not), "Say “no peak” all the same?"]))
        with self._acting():
            self._find(adjuster.name, *standing.nothing)
            seen = {"adjuster": adjuster.id, "net_turns": net, **({"tried_turns": tried[0], "swung": tried[1]} if tried else {})}
            self._add_act("no_peak", {**self._here(), "verdict": standing.verdict, **seen})

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
            raise RunMovedOn(now_at=self.where)
        before = self.state.reopens()
        if before is None:
            raise FieldsRefused({"back": "This is the first step."})
        self._record("back", {"visit": before.id})

    def decide(self, *, go_on: bool) -> None:
        """Decide about another round."""
        self._expect("decision")
        verdict, place = self.rounds_verdict(), self.state.place
        assert place is not None
        said = {"sentence": verdict.sentence, "evidence": verdict.evidence, "advised": verdict.go_on, "expected": verdict.expected}
        self._record("decide", {"group_id": place.group_id, "round": place.round, "go_on": go_on, **said})

    def choose(self, option_id: str, asked: Mapping[str, Any] | None = None) -> None:
        """Go the way of one of a decision's options. Raises FieldsRefused for one that is not offered."""
        self._expect("decision")
        decision, place = self.decision(asked), self.state.place
        option = option_of(decision, option_id)
        assert decision is not None and place is not None
        said = {"sentence": decision.sentence, "evidence": decision.evidence, "advised": decision.advised, "chosen": option.id}
        if option.costs:
            said |= {"label": option.label, "costs": [list(c) for c in option.costs]}  # type: ignore[dict-item]
        if option.curve:
            said["predicted"] = [option.curve.at_hz, option.curve.error_hz]  # type: ignore[assignment]
        groups = [resolved_group(g, self.model.adjusters) for g in option.groups]
        already = {(f.subject, f.sentence) for f in self.findings()}
        with self._acting():
            for f in decision.found:
                if (f.subject, f.sentence) not in already:
                    self._find(f.subject, f.sentence, f.evidence, accuses=f.accuses)
            here = {"group_id": place.group_id, "round": place.round, "go_on": False, "expected": 0.0, "groups": groups}
            self._add_act("decide", {**here, **said, "dial": decision.detail})

    def unmet(self) -> list[str]:
        """Return what keeps this run from being done, though every step of it is through; empty where nothing does."""
        return unmet(self.model, self.state) if self.state.stage in ("complete", "finished") else []

    def round_again(self) -> None:
        """Go through the rounds once more, and measure what came of them."""
        self._expect("complete")
        groups = json.loads(runs.plan_of_run(self._conn, self.run.id))["groups"]
        number = 2 + sum(a.kind == "extend" for a in runs.acts(self._conn, self.run.id))
        self.extend(again_groups(groups, number=number))

    def finish(self, reason: str = "") -> None:
        """Close the run; its phase is done. reason: why it is left with something unmet. Raises FieldsRefused without one then."""
        self._expect("complete")
        left = self.unmet()
        if left and not reason.strip():
            raise FieldsRefused({"reason": f"{left[0]} Say why it is left so; that stands on the certificate."})
        with self._acting():
            at = self._clock()
            said = {"unmet": left, "reason": reason.strip()[:400]} if left else {}
            self._add_act("finish", {**said, **({"left_out": skipped} if (skipped := self._left_out()) else {})})
            shelf.mark_phase(self._conn, job_id=self.job.id, phase=self.run.phase, state="done", remark="by this run", at_utc=at)
            done = self.phases_done() - {self.run.phase}
            open_again(self._conn, self.job.id, made_stale(self.model, self.turned(), done=done), at_utc=at)

    def _left_out(self) -> list[str]:
        """The steps that were left out and not done in a later round, each with its reason."""
        last = {v.step_id: v for v in self.state.visits if v.outcome and not v.superseded}
        return [f"{self.plan.step(i).title}: {v.detail['reason']}" for i, v in last.items() if v.outcome == "skip"]

    def turned(self) -> list[Change]:
        """What was turned in this run, and not back again."""
        out: dict[str, Change] = {}
        for visit in self.state.visits:
            if visit.outcome is None or visit.superseded:
                continue
            net = visit.detail.get("net_turns")
            for adjuster in self.plan.step(visit.step_id).adjusters:
                if adjuster != TUNING_ID and visit.outcome != "skip" and (net is None or abs(net) > STILL_TURNS):
                    name = self.model.adjuster(adjuster).name
                    out[adjuster] = Change("turned", adjuster, f"{name} was turned in run {self.run.id}")
        return list(out.values())

    def extend(self, groups: list[dict[str, Any]]) -> None:
        """Add groups, as the dossier writes them, to the end of the plan. Raises FieldsRefused for an id that is there already."""
        if self.state.stage == "finished":
            raise RunMovedOn(now_at=self.where)
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

    def void_last(self, seconds_: float, reason: str) -> None:
        """Strike out what instruments have read on this visit in the last seconds, with a person's reason: a hand on a wire, a lamp.

        Raises FieldsRefused without a reason, or where nothing was read.
        """
        self._expect("step")
        if not reason.strip():
            raise FieldsRefused({"reason": "Say in a word what disturbed it: a hand on a wire, a lamp that was switched."})
        live = [r for r in self.seen.kept if r.kind == "live" and r.struck is None]
        if not live:
            raise FieldsRefused({"reason": "No instrument has read anything at this step yet."})
        since_s = seconds(live[-1].at_utc) - seconds_
        with transaction(self._conn):
            for reading in live:
                if seconds(reading.at_utc) >= since_s:
                    runs.strike(self._conn, reading_id=reading.id, reason=reason.strip()[:200], at_utc=self._clock())
        self._enter()

    def strike_after(self, reading_id: int, reason: str) -> None:
        """Strike out what instruments have read in this visit since a reading: it can no longer be trusted. By number, not by time:
        a clock may be put back."""
        late = [r for r in self.seen.kept if r.id > reading_id and r.kind in ("live", "sweep") and r.struck is None]
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

    def _say_way(self, way: int) -> None:
        """Record the hand's way. It changes nothing of what was read, so the watch goes on as it is."""
        with self._writing():
            self._add_act("way", {**self._here(), "way": way})
        self.state = self._fold()

    def _expect(self, *stages: str) -> None:
        if self.state.stage not in stages:
            raise RunMovedOn(now_at=self.where)

    def _fold(self) -> RunState:
        acts = [Act(a.id, a.kind, a.at_utc, json.loads(a.detail)) for a in runs.acts(self._conn, self.run.id)]
        self._last_act = acts[-1].id if acts else 0
        state, self.set_aside = fold_what_fits(self._begun_with, acts)
        return state

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
        with self._writing():
            yield
        self._enter()

    @contextmanager
    def _writing(self) -> Iterator[None]:
        try:
            with transaction(self._conn):
                if runs.last_act(self._conn, self.run.id) != self._last_act:
                    raise RunMovedOn(now_at="another place, where another program has taken it")
                yield
        except RunMovedOn:
            self._enter()
            raise

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
        forgotten_until = self._forgotten_until(visit) if visit and rows else 0
        self.seen = VisitReadings(self.model, self.step, [r for r in rows if r.id > forgotten_until], so_far=so_far(self.model, self.state))

    def _moment(self, *, can_sweep: bool = False, sweeping: float | None = None, answer: str | None = None) -> Moment:
        visit = self.state.visit
        now_s = seconds(self._clock())
        return Moment(now_s, seconds(visit.began_utc) if visit else now_s, can_sweep, sweeping, answer)

    def _way(self, kind: str, turns: float | None, at_utc: str) -> int | None:
        """What is known of the hand at a reading whose turns nobody counts: off at the beginning of a visit, where it was asked to be; then
        what it says.
        """
        if turns is not None or self.seen.kind is None:
            return None
        first = next((r.at_utc for r in self.seen.watched if r.kind == "live"), at_utc)
        if kind == "live" and self.state.hand.way is None and seconds(at_utc) - seconds(first) < self.seen.kind.hands_off_s:
            return 0
        return self.state.hand.way

    def _measured(self) -> dict[str, Any]:
        """What is kept of the readings with an outcome, whatever the kind of step."""
        series, step = self.seen.series, self.step
        now, start = series.now(), series.start()
        if now is None or start is None or step is None:
            return {}
        last = self.seen.watched[-1]
        out: dict[str, Any] = {"value": now.value, "unit": last.unit, "generator_v": last.generator_v}
        if series.reads == "level":
            out |= {"level_db": now.measure, "start_db": start}
        else:
            out |= {"start": start, "unrest": series.unrest()}
        return {**out, "net_turns": series.turns_of(step.adjusters[0]) if step.adjusters else None}

    def _since_a_change(self) -> dict[str, str]:
        """What was changed in the set while this step was in hand, the last if several were."""
        visit = self.state.visit
        acts = runs.acts(self._conn, self.run.id) if visit else []
        changed = [json.loads(a.detail)["words"] for a in acts if visit and a.kind == "changed" and a.id > visit.id]
        return {"since_change": changed[-1]} if changed else {}

    def _forgotten_until(self, visit: Visit) -> int:
        """The last reading that does not count on this visit: before wax was cleared, the tool's turns meant something else; before the
        level was set, with nothing turned yet, the needle did; before something was changed in the set, the set was another."""
        since = (json.loads(a.detail) for a in runs.acts(self._conn, self.run.id) if a.kind in FORGETS and a.id > visit.id)
        return max((int(detail["after_reading"]) for detail in since if "after_reading" in detail), default=0)

    def _nothing_turned(self) -> bool:
        """Whether nobody has turned anything on this visit yet, as far as is known."""
        watched = self.seen.watched
        turned = any(r.turns != watched[0].turns or r.other_turns != watched[0].other_turns for r in watched)
        return (
            not turned
            and self.state.hand.way is None
            and all(r.kind == "live" and r.way in (0, None) for r in watched)
            and (not watched or watched[0].turns is not None or all(r.way == 0 for r in watched))
        )

    def _keep_now(self, kind: str) -> runs.ReadingRow:
        now = self.seen.series.now()
        if now is None:
            raise FieldsRefused({"reading": "There is no reading yet to keep."})
        last = self.seen.watched[-1]
        return self.add_reading(
            Quantity(now.value, last.unit),
            kind=kind,
            instrument=last.instrument,
            turns=last.turns,
            generator_hz=last.generator_hz,
            dial_hz=last.dial_hz,
            other_turns=json.loads(last.other_turns) if last.other_turns else None,
        )

    def _find(self, subject: str, sentence: str, evidence: str, *, accuses: str | None = None) -> None:
        runs.add_finding(
            self._conn,
            run_id=self.run.id,
            subject=subject,
            sentence=sentence,
            evidence=evidence,
            at_utc=self._clock(),
            accuses=accuses,
        )


def _pairs(model: Model, turned: Sequence[Adjuster]) -> list[Pair]:
    """The coupled pairs among adjusters, in the order in which they are turned."""
    by_can: dict[str, list[str]] = {}
    for a in turned:
        if a.transformer and a.name not in by_can.setdefault(a.transformer, []):
            by_can[a.transformer].append(a.name)
    return [Pair(names[0], names[1], model.coupling_of(can), can) for can, names in by_can.items() if len(names) == 2]


def open_again(conn: sqlite3.Connection, job_id: int, stale: Sequence[Stale], *, at_utc: str) -> None:
    """Open phases again whose results no longer stand. Within a transaction."""
    for s in stale:
        groups = json.dumps(s.groups) if s.groups else None
        shelf.mark_phase(conn, job_id=job_id, phase=s.phase, state="open", remark=s.why, at_utc=at_utc, stale_groups=groups)


def stale_now(conn: sqlite3.Connection, job_id: int, phase: str) -> Stale | None:
    """Return what of a phase that was done once no longer stands, with every reason since; None where nothing is stale.

    By the order in which it was written, not by time.
    """
    why: list[str] = []
    groups: list[str] = []
    was_done = False
    for mark in shelf.phase_history(conn, job_id, phase):
        if mark.state == "done":
            was_done, why, groups = True, [], []
        elif was_done and mark.remark:
            why.append(mark.remark)
            groups += [g for g in json.loads(mark.stale_groups or "[]") if g not in groups]
    return Stale(phase, "; ".join(why), tuple(groups)) if why else None


def usual_means(bench: str) -> str:
    """Return how frequencies are read at a bench where nobody says it."""
    return BY_ITSELF.get(bench, "generator")


def begin_run(
    conn: sqlite3.Connection,
    *,
    job_id: int,
    phase: str,
    at_utc: str,
    bench: str | None = None,
    in_full: bool = True,
    means: str = "",
    bands: Collection[str] = (),
) -> int:
    """Begin a run of a phase of a job by its dossier as it is now, and return its id. Raises NotFound, FieldsRefused for an empty plan.

    bench: where its readings come from, when not as the job says. in_full: through all of it, and not only what a change made stale.
    means: how frequencies are read, where it matters; by a counter where instruments are worked, unless it is said. bands: only these.
    """
    job = shelf.job(conn, job_id)
    if job is None:
        raise NotFound("job", job_id)
    model = read_model(json.loads(shelf.dossier_content(conn, job.dossier_id) or "{}"))
    stale = None if in_full else stale_now(conn, job_id, phase)
    known = known_carriers(conn)
    style = style_of(conn)
    read_by = means or usual_means(bench or job.bench)
    plan = plan_data(model, phase, again=stale, means=read_by, bands=bands, carriers=known, style=style)
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
