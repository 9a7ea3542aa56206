"""The made-up world: the Tern Rock Wireless Room, its sets, and the jobs on them.

Every reading of the older job comes from the twin with a fixed seed; loading twice gives the same.
"""

import json
import sqlite3
from datetime import UTC, datetime
from importlib import resources

from calm_needle.sim.receiver.practice import STRIP_ALIGNED, PracticeReceiver
from calm_needle.store import bench as bench_store
from calm_needle.store import carriers, donor_stock, intake, job_tables, practice, runs, shelf
from calm_needle.store.db import transaction
from calm_needle.store.trial import trial
from calm_needle.work.bench.rehearsal import MadeUpClock, rehearse
from calm_needle.work.bench.run_book import RunBook, begin_run
from calm_needle.work.jobs import shelf as shelf_work

DOSSIERS = ("halvern-6b", "dunlin-3", "stannard-seven", "pellow-scout", "corvane-r-40")
OLDER_SERIAL, LARGEST_SHELF = "19077", 100_000
OLDER_PHASE = "intermediate frequency"
OF_A_RUN = ("run", "run_plan", "act", "set_up", "reading", "strike", "note", "finding")
# Made up, names and frequencies, as somebody would have them from the stations themselves.
STOCKED_UTC = "2026-10-20T14:00:00.000Z"
DONORS: tuple[tuple[str, str, float | None, str, str, int, tuple[str, str] | None], ...] = (
    (
        "coil or transformer",
        "IFT2, whole can",
        None,
        "a Halvern 6B beyond saving",
        "drawer 3",
        1,
        ("good", "both windings 14 Ω, peaks at 468 kHz"),
    ),
    ("capacitor", "paper, 400 V", 50e-9, "bought new", "drawer 1", 20, ("good", "within 3 %, 1 GΩ at 400 V")),
    ("resistor", "1 W, carbon film", 470e3, "bought new", "drawer 1", 50, None),
    (
        "tuning gang",
        "two sections, 12 to 490 pF",
        None,
        "a Stannard Seven",
        "shelf, left",
        1,
        ("weak", "rear section scrapes near minimum"),
    ),
)
CARRIERS = (
    ("Marram Point", 171e3),
    ("Wenlow", 216e3),
    ("Cold Fell", 270e3),
    ("Marram Point", 612e3),
    ("Port Ellery", 936e3),
    ("Wenlow", 1413e3),
)
CARRIERS_WITHIN_HZ = 10.0
BEFORE_IF = ("intake", "safe start", "health")


def is_empty(conn: sqlite3.Connection) -> bool:
    """Whether nothing is on the shelf yet."""
    return not shelf.models(conn)


def load(conn: sqlite3.Connection) -> None:
    """Put the demo world on an empty shelf, whole or not at all, and the older job's run with it."""
    put_on_shelf(conn)
    rehearse_older_job(conn)


def put_on_shelf(conn: sqlite3.Connection) -> None:
    """Put the demo world on an empty shelf, whole or not at all; the older job's run, which takes a moment, is left to be rehearsed."""
    with transaction(conn):
        for name in DOSSIERS:
            content = resources.files("calm_needle.demo").joinpath(f"dossiers/{name}.json").read_bytes()
            shelf_work.keep_dossier(conn, json.loads(content))  # what ships is found right by the tests
        bench_store.put_setting(conn, "stand-ins", "on")
        for carrier, frequency_hz in CARRIERS:
            carriers.add_carrier(
                conn,
                name=carrier,
                frequency_hz=frequency_hz,
                uncertainty_hz=CARRIERS_WITHIN_HZ,
                known_on="2026-10-02",
                at_utc="2026-10-02T10:00:00.000Z",
            )
        for kind, name, value, from_what, place, count, test in DONORS:
            kept = donor_stock.add(conn, kind=kind, name=name, value=value, from_what=from_what, place=place, at_utc=STOCKED_UTC)
            donor_stock.move(conn, donor_part_id=kept, change=count, job_id=None, words="put in", at_utc=STOCKED_UTC)
            if test:
                donor_stock.test(conn, donor_part_id=kept, outcome=test[0], words=test[1], at_utc=STOCKED_UTC)
        halvern = _model(conn, "halvern-6b")
        _older_job(conn, halvern)
        _job(
            conn,
            halvern,
            serial="20318",
            owner="Tern Rock collection",
            remarks="Bought as seen. One core is waxed; earlier hands have been at the medium-wave padder.",
            complaints=("Weak on all bands.", "Stations run into each other on medium wave.", "Dial reads low at the top of medium wave."),
            bench="instruments",
            at_utc="2026-11-17T09:40:00.000Z",
            by="M.O.",
        )
        _job(
            conn,
            halvern,
            serial="20544",
            owner="R.T.",
            remarks="On the second bench: no instruments that can be reached, readings are typed.",
            complaints=("Weak after a year in the damp store.",),
            bench="typed",
            at_utc="2026-11-19T14:05:00.000Z",
            by="R.T.",
        )
        _job(
            conn,
            halvern,
            serial="21102",
            owner="Tern Rock collection",
            remarks="Came in from the boat-house; nobody has had it on yet.",
            complaints=("Silent, with a warm smell after ten minutes.", "Dial cord slips."),
            bench="instruments",
            at_utc="2026-11-23T10:15:00.000Z",
            by="J.P.",
            done=("intake",),
        )
        _intake_of_the_boat_house_set(conn)
        # Stacked, so that one repair unmasks the next.
        for fault in ("coupling-leaks-warm", "screen-feed-drifted", "if-capacitor-open", "aerial-coil-open"):
            practice.add_fault(conn, set_id=_newest(conn).set_id, fault=fault)
        _dunlin(conn)
        _stannard(conn)
        _scout(conn)
        _corvane(conn)
        _for_the_dial(conn)


def _dunlin(conn: sqlite3.Connection) -> None:
    """A live-chassis set, bought as seen: its smoothing capacitor leaks when warm, and one resistor is of another value."""
    job_id = _job(
        conn,
        _model(conn, "dunlin-3"),
        serial="D 30417",
        owner="Tern Rock collection",
        remarks="Bought as seen at the harbour sale.",
        complaints=("Hums, and fades after a few minutes.", "Distorts on loud passages."),
        bench="instruments",
        at_utc="2026-11-24T09:10:00.000Z",
        by="M.O.",
        done=("intake",),
    )
    _entries(
        conn,
        job_id,
        "2026-11-24T09:15:00.000Z",
        ("paper", {"title": "Dunlin 3 service notes", "trust": "this model’s own", "differences": ""}),
        ("earlier hands", {"place": "around V3", "seen": "two newer resistors, one with a scorched sleeve"}),
    )
    for fault in ("smoothing-leaks-warm", "bias-resistor-wrong"):
        practice.add_fault(conn, set_id=_newest(conn).set_id, fault=fault)


def _stannard(conn: sqlite3.Connection) -> None:
    """An early superhet whose last IF primary is open: it was started safely, and its V4 anode found without volts."""
    job_id = _job(
        conn,
        _model(conn, "stannard-seven"),
        serial="702",
        owner="R.T.",
        remarks="Papers of the Stannard Six only. Found silent; started safely on the second bench.",
        complaints=("Silent on the whole dial.",),
        bench="instruments",
        at_utc="2026-11-24T13:30:00.000Z",
        by="R.T.",
        done=("intake", "safe start"),
    )
    _entries(
        conn,
        job_id,
        "2026-11-24T13:40:00.000Z",
        (
            "paper",
            {"title": "Stannard Six instruction sheet", "trust": "a sister model’s", "differences": "two IF transformers, not three"},
        ),
        ("purpose", {"use": "To be heard on the open day, on the island’s own station", "bands": "broadcast"}),
        ("consent", {"change": "Rewinding an IF coil, if it must be", "reversible": "no", "agreed": "R.T., 24 November"}),
    )
    practice.add_fault(conn, set_id=_newest(conn).set_id, fault="if-winding-open")


def _scout(conn: sqlite3.Connection) -> None:
    """A portable with one dead can: its capacitor, inside, has opened."""
    job_id = _job(
        conn,
        _model(conn, "pellow-scout"),
        serial="S 118204",
        owner="M.O.",
        remarks="From the lighthouse kitchen. New cells, started on the bench supply.",
        complaints=("Very faint on every station.", "Hisses as it should."),
        bench="instruments",
        at_utc="2026-11-25T08:50:00.000Z",
        by="J.P.",
        done=("intake", "safe start"),
    )
    _entries(
        conn,
        job_id,
        "2026-11-25T08:55:00.000Z",
        ("paper", {"title": "Pellow Scout service folder", "trust": "this model’s own", "differences": ""}),
    )
    practice.add_fault(conn, set_id=_newest(conn).set_id, fault="if-capacitor-open")


def _corvane(conn: sqlite3.Connection) -> None:
    """The communications receiver: nothing broken, everything a little off, and due for its yearly alignment."""
    job_id = _job(
        conn,
        _model(conn, "corvane-r-40"),
        serial="R40-0611",
        owner="Tern Rock collection",
        remarks="The museum’s listening position; aligned every autumn.",
        complaints=("Images at the top of band D.", "Beat note off with the pitch control at the middle."),
        bench="instruments",
        at_utc="2026-11-25T13:20:00.000Z",
        by="R.T.",
        done=BEFORE_IF,
    )
    _entries(
        conn,
        job_id,
        "2026-11-25T13:25:00.000Z",
        ("paper", {"title": "Corvane R-40 instruction book", "trust": "this model’s own", "differences": ""}),
    )


def _for_the_dial(conn: sqlite3.Connection) -> None:
    """Three sets whose strips were aligned: a padder that has drifted, a core that has seized, four bands to be set."""
    papers = {
        "halvern-6b": "Halvern 6B service sheet",
        "pellow-scout": "Pellow Scout service folder",
        "corvane-r-40": "Corvane R-40 instruction book",
    }
    for key, serial, complaint, fault, at_utc in (
        (
            "halvern-6b",
            "21877",
            "Medium wave stations in the wrong places, the low end worst.",
            "mw-padder-drifted",
            "2026-11-25T15:00:00.000Z",
        ),
        (
            "pellow-scout",
            "S 120931",
            "The dial reads low; the oscillator core cannot be moved.",
            "oscillator-core-seized",
            "2026-11-25T15:20:00.000Z",
        ),
        ("corvane-r-40", "R40-0733", "Calibration doubtful on every band.", None, "2026-11-25T15:40:00.000Z"),
    ):
        job_id = _job(
            conn,
            _model(conn, key),
            serial=serial,
            owner="Tern Rock collection",
            remarks="Its strip was aligned last week; oscillator and dial are next.",
            complaints=(complaint,),
            bench="instruments",
            at_utc=at_utc,
            by="M.O.",
            done=(*BEFORE_IF, "intermediate frequency"),
        )
        _entries(conn, job_id, at_utc, ("paper", {"title": papers[key], "trust": "this model’s own", "differences": ""}))
        for given in filter(None, (fault, STRIP_ALIGNED)):
            practice.add_fault(conn, set_id=_newest(conn).set_id, fault=given)


def _newest(conn: sqlite3.Connection) -> shelf.JobRow:
    return shelf.newest_jobs(conn, limit=1)[0]


def _model(conn: sqlite3.Connection, key: str) -> shelf.ModelRow:
    model = shelf.model_by_key(conn, key)
    assert model is not None
    return model


def _entries(conn: sqlite3.Connection, job_id: int, at_utc: str, *entries: tuple[str, dict[str, str]]) -> None:
    for kind, detail in entries:
        intake.add_entry(conn, job_id=job_id, kind=kind, detail=json.dumps(detail, ensure_ascii=False), at_utc=at_utc)


def _intake_of_the_boat_house_set(conn: sqlite3.Connection) -> None:
    """What was asked when the last set came in."""
    job_id = _newest(conn).id
    _entries(
        conn,
        job_id,
        "2026-11-23T10:20:00.000Z",
        ("paper", {"title": "Service sheet, second issue", "trust": "this model’s own", "differences": ""}),
        ("paper", {"title": "Diagram of the Halvern 6A", "trust": "a sister model’s", "differences": "one IF transformer fewer"}),
        ("purpose", {"use": "To play in the lamp room on the open day, 15 May 2027", "bands": "medium wave, long wave"}),
        ("earlier hands", {"place": "under the mains transformer", "seen": "a new twin capacitor, its ends left bare"}),
        ("waiting", {"item": "a dial cord of 0.8 mm", "blocks": "oscillator and dial", "meanwhile": "safe start, health"}),
        ("worth", {"hours_low": "5", "hours_high": "11", "rate": "25", "parts_low": "20", "parts_high": "70", "value": "700"}),
    )


def _job(
    conn: sqlite3.Connection,
    model: shelf.ModelRow,
    *,
    serial: str,
    owner: str,
    remarks: str,
    complaints: tuple[str, ...],
    done: tuple[str, ...] = BEFORE_IF,
    bench: str,
    at_utc: str,
    by: str,
) -> int:
    set_id = shelf.add_set(conn, model_id=model.id, serial=serial, owner=owner, remarks=remarks, at_utc=at_utc)
    job_id = shelf_work.open_job_for(conn, set_id=set_id, complaints=list(complaints), bench=bench, at_utc=at_utc)
    for phase in done:
        shelf.mark_phase(conn, job_id=job_id, phase=phase, state="done", remark=f"by hand, {by}", at_utc=at_utc)
    return job_id


def _older_job(conn: sqlite3.Connection, model: shelf.ModelRow) -> None:
    """A job whose IF strip was aligned some weeks ago."""
    job_id = _job(
        conn,
        model,
        serial=OLDER_SERIAL,
        owner="Tern Rock collection",
        remarks="On show in the lamp room.",
        complaints=("Selectivity poor since the winter before last.",),
        bench="instruments",
        at_utc="2026-10-02T08:55:00.000Z",
        by="J.P.",
    )
    complaint = intake.complaints_of_job(conn, job_id)[0]
    intake.add_retest(
        conn,
        complaint_id=complaint.id,
        outcome="gone",
        words="5.3 kHz at −6 dB, both neighbours of the local station parted by ear.",
        at_utc="2026-10-02T15:40:00.000Z",
        cover="on",
    )


def rehearse_older_job(conn: sqlite3.Connection) -> None:
    """Align the older job's set, some weeks ago, unless that was done; whole or not at all. Its job is the first of the demo world.

    Rehearsed in a copy, which takes a while, and put into the store as rows: whoever works with the store meanwhile waits for nothing.
    """
    job = next((j for j in reversed(shelf.newest_jobs(conn, limit=LARGEST_SHELF)) if j.serial == OLDER_SERIAL), None)
    if job is None or runs.runs_of_job(conn, job.id):
        return
    with trial(conn) as copy:
        with transaction(copy):
            clock = MadeUpClock(datetime(2026, 10, 2, 10, 12, tzinfo=UTC))
            book = RunBook(copy, begin_run(copy, job_id=job.id, phase=OLDER_PHASE, at_utc=clock()), clock=clock)
            rehearse(book, PracticeReceiver(book.model, seed=job.set_id, misalign="moderate"), clock, seed=job.set_id)
        same = {row_id: row_id for row_id, _ in job_tables.dossiers_of(copy, job_id=job.id)}
        rows = job_tables.take_out(copy, job_id=job.id, set_id=job.set_id, dossiers=same)
        done = shelf.phase_marks(copy, job.id)[OLDER_PHASE]
    with transaction(conn):
        if runs.runs_of_job(conn, job.id):
            return  # somebody was quicker
        of_run = {name: found for name, found in rows.items() if name in OF_A_RUN}
        job_tables.put_in(conn, of_run, job_id=job.id, set_id=job.set_id, dossiers=same, with_set=False)
        shelf.mark_phase(conn, job_id=job.id, phase=OLDER_PHASE, state=done.state, remark=done.remark or "", at_utc=done.at_utc)
