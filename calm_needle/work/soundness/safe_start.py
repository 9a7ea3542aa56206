"""A safe start of the set of a job: its ladder, what was logged, what may be done next.

Readings are typed, or taken by the bench's meters. At a practice set the ladder switches the power, and time can be let go by; what
was let go by is kept with each reading, so that warming is judged by the set's own time.
"""

import json
import sqlite3
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from calm_needle.clock import now_utc
from calm_needle.core.dossier.model import Model
from calm_needle.core.pictures import Curves, Line, Picture
from calm_needle.core.quantities import parse_si
from calm_needle.core.soundness.cautions import LAST_WORD, Caution, cautions_for
from calm_needle.core.soundness.points import electrodes_of, rails_of
from calm_needle.core.soundness.safe_start import (
    Look,
    Point,
    Rung,
    Start,
    borne_out,
    judge_current,
    judge_rail,
    judge_warm,
    ladder,
    looks_before,
    may_climb,
    may_finish,
    stand,
)
from calm_needle.core.verdict import Verdict
from calm_needle.errors import FieldsRefused, NotUnderstood
from calm_needle.store import repairs, shelf, starts
from calm_needle.store.db import remembered, transaction
from calm_needle.store.shelf import JobRow
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.slips import Slips
from calm_needle.work.soundness.power import logged, power_of, times_of_day

LONGEST_WORDS = 400
LEAST_A, STOPS_UP_TO = 1e-4, 10.0  # of a set that draws anything; times the stop limit, beyond which a slip is asked about
STRIKEABLE = ("current", "rail")  # what a meter showed; smoke always has its cause
LOG_SHOWN = 16
WARMING_S = 180.0  # that are let go by when a practice set is switched on from where it is worked at


@dataclass(frozen=True)
class RailView:
    """One rail as the page shows it: what it reads, what that says, whether it settles; borne_out: whether a target that is not from the
    model's own papers was confirmed by a reading here, None before one was taken."""

    point: Point
    last_v: float | None
    judged: Verdict | None
    warm: Verdict | None
    borne_out: bool | None = None


class LogLine(NamedTuple):
    """One line of the log: its number, when, in words, whether it may be struck, and why it was."""

    id: int
    at: str
    words: str
    may_strike: bool
    struck: str | None


@dataclass(frozen=True)
class StartView:
    """Everything the page of a start shows."""

    job: JobRow
    model: Model
    rungs: tuple[Rung, ...]
    start: Start
    cautions: list[Caution]
    last_word: str
    rails: list[RailView]
    electrodes: list[RailView]
    current: Verdict | None
    climb: Verdict
    finish: Verdict
    picture: Picture | None
    log: list[LogLine]
    looks: tuple[Look, ...]
    looked: str  # when all of them were found right, and nothing was changed since; empty where they are asked
    not_right: list[str]  # of the last look, what was not


@remembered
def view(conn: sqlite3.Connection, job_id: int) -> StartView:
    """Return where the start of a job's set stands. Raises NotFound."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    rungs, points, others = ladder(model.safety_class), rails_of(model), electrodes_of(model)
    rows = starts.entries(conn, job_id)
    start, looks = stand(logged(rows), rungs=rungs), looks_before(model.safety_class)
    rung = rungs[start.rung] if start.rung >= 0 else None
    seen = borne_out(logged(rows), rungs=rungs, points=(*points, *others))
    return StartView(
        job,
        model,
        rungs,
        start,
        cautions_for(safety_class=model.safety_class, hazards=("first-power", "smoke")),
        LAST_WORD,
        [replace(_rail(start, rung, p, warm=True), borne_out=seen.get(p.id)) for p in points],
        [replace(_rail(start, rung, p, warm=False), borne_out=seen.get(p.id)) for p in others],
        judge_current(start.currents_a, rung=rung) if start.currents_a and rung else None,
        may_climb(start, rungs=rungs, points=points),
        may_finish(start, rungs=rungs, points=points),
        _picture(start, points),
        _log(rows, rungs, (*points, *others), looks),
        looks,
        *_looked(conn, job_id, rows, looks),
    )


def climb(
    conn: sqlite3.Connection,
    job_id: int,
    meters: Meters | None = None,
    *,
    form: Mapping[str, str] | None = None,
    clock: Callable[[], str] | None = None,
) -> None:
    """Take the next rung; a practice set is switched to it. form: before the first, the answers (look-ID: yes or no).

    Raises FieldsRefused with what stands in the way, InstrumentError. A look that found something is kept, and power stays off.
    """
    shown = view(conn, job_id)
    if shown.climb.state != "good" or shown.start.rung >= len(shown.rungs) - 1:
        raise FieldsRefused({"rung": shown.climb.sentence if shown.climb.state != "good" else "This is the last rung."})
    rung = shown.start.rung + 1
    if rung == 0 and not shown.looked:
        _look(conn, job_id, shown.looks, form or {})
    _power(meters, shown.rungs[rung].share)
    passed = meters.practice.passed_s() if meters and meters.practice else 0.0
    _keep(conn, job_id, [("rung", {"rung": rung, "passed_s": passed})], clock=clock)


def _look(conn: sqlite3.Connection, job_id: int, looks: tuple[Look, ...], form: Mapping[str, str]) -> None:
    """Keep what was seen before first power. Raises FieldsRefused where something was not looked at, or is not right."""
    said = {look.id: form.get(f"look-{look.id}", "") for look in looks}
    if left := [look for look in looks if said[look.id] not in ("yes", "no")]:
        raise FieldsRefused({f"look-{look.id}": "Look, and say yes or no." for look in left})
    _add(conn, job_id, "look", {"said": said})
    if wrong := [look for look in looks if said[look.id] == "no"]:
        raise FieldsRefused({f"look-{look.id}": "Power stays off. Put it right, look again, and say so here." for look in wrong})


def _looked(conn: sqlite3.Connection, job_id: int, rows: Sequence[starts.StartRow], looks: tuple[Look, ...]) -> tuple[str, list[str]]:
    """When everything was last found right, empty where it is asked; and what of the last look was not."""
    last = next((r for r in reversed(rows) if r.kind == "look"), None)
    if last is None:
        return "", []
    said = json.loads(last.detail)["said"]
    wrong = [look.right for look in looks if said.get(look.id) != "yes"]
    changed = any(r.id > last.after_repair for r in repairs.repairs_of_job(conn, job_id))
    return "" if wrong or changed else f"{last.at_utc[:10]} {last.at_utc[11:16]}", wrong


def read(conn: sqlite3.Connection, job_id: int, form: dict[str, str], *, clock: Callable[[], str] | None = None) -> None:
    """Keep what the meters show: `current`, and one field for each rail; empty ones are passed over. Whole or not at all."""
    shown = view(conn, job_id)
    if shown.start.rung < 0 or shown.start.stopped:
        raise FieldsRefused({"current": "Power is off. Take the first rung, or write down the cause of the stop, before reading."})
    slips = Slips(form)
    found: list[tuple[str, dict[str, object]]] = []
    if (amperes := _typed(form.get("current", ""), "A", "current", slips.faults)) is not None:
        slips.within("current", amperes, sensible=(LEAST_A, STOPS_UP_TO * shown.rungs[shown.start.rung].stop_a), unit="A")
        found.append(("current", {"a": abs(amperes)}))
    for rail in (*shown.rails, *shown.electrodes):
        field = f"rail-{rail.point.id}"
        if (volts := _typed(form.get(field, ""), "V", field, slips.faults)) is not None:
            slips.beside(field, volts, drawn=rail.point.expected_v, unit="V")
            found.append(("rail", {"point": rail.point.id, "v": volts}))
    if not found and not slips.faults:
        slips.faults["current"] = "Nothing was typed yet: the current, and each rail."
    slips.refuse()
    _keep(conn, job_id, found, clock=clock)


def measure(conn: sqlite3.Connection, job_id: int, meters: Meters, *, electrodes: bool) -> None:
    """Read current and rails by the meters, and the electrodes too if asked. Whole or not at all. Raises FieldsRefused, InstrumentError."""
    shown = view(conn, job_id)
    if shown.start.rung < 0 or shown.start.stopped:
        raise FieldsRefused({"current": "Power is off. Take the first rung, or write down the cause of the stop, before reading."})
    passed = meters.practice.passed_s() if meters.practice else 0.0
    found: list[tuple[str, dict[str, object]]] = [("current", {"a": abs(meters.amperes().value), "passed_s": passed})]
    for rail in (*shown.rails, *(shown.electrodes if electrodes else ())):
        found.append(("rail", {"point": rail.point.id, "v": meters.volts(rail.point.id).value, "passed_s": passed}))
    _keep(conn, job_id, found)
    if view(conn, job_id).start.stopped:
        _power(meters, 0.0)
        if meters.practice:  # a real one is cut by a person, who says so
            _add(conn, job_id, "cut", {})


def let_pass(meters: Meters, seconds_: float) -> None:
    """Let time go by at a practice set. Raises FieldsRefused on a real one."""
    if meters.practice is None:
        raise FieldsRefused({"current": "Time is let go by at a practice set only; a real one takes its time."})
    meters.practice.let_pass(seconds_)


def switch_off(conn: sqlite3.Connection, job_id: int, meters: Meters | None = None) -> None:
    """Log that the set is off, and switch a practice set off; a start that was stopped stays so until its cause is written down.

    The next start begins with the first rung. Raises FieldsRefused, InstrumentError.
    """
    power = power_of(conn, job_id)
    if not power.live:
        raise FieldsRefused({"rung": "It is off already."})
    _power(meters, 0.0)
    _add(conn, job_id, "cut" if power.state == "stopped" else "off", {})


def switch_on(conn: sqlite3.Connection, job_id: int, meters: Meters | None) -> None:
    """Log that the set is on, straight on; a practice set is switched on and left to warm. Raises FieldsRefused in words, InstrumentError.

    What a person says of a real set is kept as it is said: a live set is never called off.
    """
    shown, power = view(conn, job_id), power_of(conn, job_id)
    practice = meters.practice if meters else None
    if shown.start.stopped and practice:
        raise FieldsRefused({"power": "Its start was stopped. Write the cause on the safe start’s page first; smoke always has one."})
    if shown.not_right and practice:
        wrong = "; ".join(shown.not_right)
        raise FieldsRefused({"power": f"Before first power this was not right: {wrong}. Put it right, and look again."})
    if power.state == "on" and not power.behind:
        raise FieldsRefused({"power": "It is on already."})
    if practice:
        practice.power(1.0)
        practice.let_pass(WARMING_S)
    _add(conn, job_id, "rung", {"rung": len(shown.rungs) - 1, "said": True})


def say_still_on(conn: sqlite3.Connection, job_id: int) -> None:
    """Log that a set that was on on an earlier day still is. Raises FieldsRefused."""
    if not power_of(conn, job_id).asked:
        raise FieldsRefused({"power": "It was not asked about."})
    _add(conn, job_id, "still", {})


def smoke(conn: sqlite3.Connection, job_id: int, words: str, meters: Meters | None = None) -> None:
    """Log smoke, arcing or a hot smell: the start is stopped until a cause is written down."""
    job_of(conn, job_id)
    _add(conn, job_id, "smoke", {"words": words.strip()[:LONGEST_WORDS]})
    _power(meters, 0.0)


def found_cause(conn: sqlite3.Connection, job_id: int, words: str) -> None:
    """Write down the cause of a stop; the start begins again from the first rung. Raises FieldsRefused."""
    if view(conn, job_id).start.stopped is None:
        raise FieldsRefused({"cause": "Nothing was stopped."})
    if not words.strip():
        raise FieldsRefused({"cause": "Write what it was, and what was done about it. Smoke always has a cause of its own."})
    _add(conn, job_id, "cause", {"words": words.strip()[:LONGEST_WORDS]})


def strike(conn: sqlite3.Connection, job_id: int, form: dict[str, str], meters: Meters | None = None) -> None:
    """Strike a reading out of the log (entry, reason): it was misread or mistyped. It stays there and counts no more.

    A stop that rested on it is withdrawn, and the start stands where it stood; a practice set is powered as the log then says.
    Raises FieldsRefused, InstrumentError.
    """
    reason = form.get("reason", "").strip()[:LONGEST_WORDS]
    row = next((r for r in starts.entries(conn, job_id) if str(r.id) == form.get("entry")), None)
    faults = {}
    if row is None or row.kind not in STRIKEABLE or row.struck is not None:
        faults["entry"] = "Choose a reading of this log that still counts."
    if not reason:
        faults["reason"] = "Say what was wrong with it; both stay in the log."
    if faults or row is None:
        raise FieldsRefused(faults)
    stopped = view(conn, job_id).start.stopped
    starts.strike(conn, entry_id=row.id, reason=reason, at_utc=now_utc(conn))
    now = view(conn, job_id)
    if stopped and not now.start.stopped and now.start.rung >= 0:
        _power(meters, now.rungs[now.start.rung].share)


def finish(conn: sqlite3.Connection, job_id: int) -> None:
    """Close the start: its phase is done. Raises FieldsRefused with what is missing."""
    shown = view(conn, job_id)
    if shown.finish.state != "good":
        raise FieldsRefused({"finish": shown.finish.sentence})
    with transaction(conn):
        _add(conn, job_id, "finish", {})
        shelf.mark_phase(
            conn, job_id=job_id, phase="safe start", state="done", remark="rails right and settled, warm", at_utc=now_utc(conn)
        )


def _rail(start: Start, rung: Rung | None, point: Point, *, warm: bool) -> RailView:
    seen = start.rails_v.get(point.id, ())
    if not seen or rung is None:
        return RailView(point, None, None, None)
    # An electrode says something at full power only: what it should be under a limiter nobody has written down.
    warming = start.is_warming(point.id, rung)
    judged = judge_rail(seen[-1][1], point=point, share=rung.share, warming=warming) if warm or rung.share == 1.0 else None
    watched = judge_warm(seen, since_s=start.since_s, heats_s=rung.heats_s) if warm and rung.share == 1.0 else None
    return RailView(point, seen[-1][1], judged, watched)


def _power(meters: Meters | None, share: float) -> None:
    if meters and meters.practice:
        meters.practice.power(share)


def _keep(
    conn: sqlite3.Connection, job_id: int, found: list[tuple[str, dict[str, object]]], *, clock: Callable[[], str] | None = None
) -> None:
    with transaction(conn):
        for kind, detail in found:
            starts.add_entry(conn, job_id=job_id, kind=kind, detail=json.dumps(detail), at_utc=clock() if clock else now_utc(conn))


def _typed(text: str, unit: str, field: str, faults: dict[str, str]) -> float | None:
    """The value that was typed; None for an empty field, or for one that cannot be read, which is then among the faults."""
    if not text.strip():
        return None
    try:
        return parse_si(text, unit=unit)
    except NotUnderstood as fault:
        faults[field] = str(fault)
        return None


def _add(conn: sqlite3.Connection, job_id: int, kind: str, detail: dict[str, object]) -> None:
    starts.add_entry(conn, job_id=job_id, kind=kind, detail=json.dumps(detail), at_utc=now_utc(conn))


def _picture(start: Start, points: tuple[Point, ...]) -> Picture | None:
    lines = []
    for point in points:
        seen = start.rails_v.get(point.id, ())
        if len(seen) > 1 and seen[-1][0] > seen[0][0]:
            lines.append(Line(point.name, [(t - seen[0][0], v) for t, v in seen], dots=True))
    return Curves("Rails since this rung was taken", "s", "V", lines) if lines else None


def _log(rows: Sequence[starts.StartRow], rungs: tuple[Rung, ...], points: tuple[Point, ...], looks: tuple[Look, ...]) -> list[LogLine]:
    """The last lines of the log, the newest first."""
    timed = list(zip(rows, times_of_day(rows), strict=True))[-LOG_SHOWN:]
    return [
        LogLine(r.id, at, _words(r, rungs, points, looks), r.kind in STRIKEABLE and r.struck is None, r.struck) for r, at in reversed(timed)
    ]


def _words(row: starts.StartRow, rungs: tuple[Rung, ...], points: tuple[Point, ...], looks: tuple[Look, ...]) -> str:
    return _WORDS[row.kind](json.loads(row.detail), rungs, points, looks) if row.kind in _WORDS else row.kind


def _of_rung(detail: dict[str, Any], rungs: tuple[Rung, ...], *_: object) -> str:
    if detail.get("said"):
        return "switched on"
    return f"{rungs[detail['rung']].title}{'; cautions understood' if detail['rung'] == 0 else ''}"


def _of_rail(detail: dict[str, Any], _: object, points: tuple[Point, ...], __: object) -> str:
    name = next((p.name for p in points if p.id == detail["point"]), detail["point"])
    return f"{name} {detail['v']:.4g} V"


def _of_look(detail: dict[str, Any], _: object, __: object, looks: tuple[Look, ...]) -> str:
    wrong = [look.right for look in looks if detail["said"].get(look.id) == "no"]
    return f"looked over; not so: {'; '.join(wrong)}" if wrong else "looked over, all right"


# How the log says an entry of each kind, of its detail, the rungs, the points and what is looked at.
_WORDS: dict[str, Callable[..., str]] = {
    "look": _of_look,
    "rung": _of_rung,
    "current": lambda d, *_: f"current {1e3 * d['a']:.0f} mA",
    "rail": _of_rail,
    "smoke": lambda d, *_: f"stopped: {d['words'] or 'smoke, arcing or a hot smell'}",
    "cut": lambda *_: "power cut",
    "cause": lambda d, *_: f"cause: {d['words']}",
    "off": lambda *_: "switched off",
    "still": lambda *_: "still on",
    "finish": lambda *_: "through",
}
