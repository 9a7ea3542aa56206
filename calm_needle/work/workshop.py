"""The workshop: a data folder, its store, the bench of instruments, and the runs that are open on it."""

import contextlib
import os
import queue
import re
import secrets
import sqlite3
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import Literal

from calm_needle.clock import SYSTEM, Clock, now_utc, to_text
from calm_needle.core.description import Description, parse_description, write_description
from calm_needle.errors import BenchInUse, StoreUnusable
from calm_needle.store import act_tokens, db, own_dossiers, practice, runs, shelf
from calm_needle.store import bench as bench_store
from calm_needle.store import repairs as repair_store
from calm_needle.work import backup
from calm_needle.work.bench.desk import Desk
from calm_needle.work.folder_lock import FolderLock
from calm_needle.work.instruments import hearing
from calm_needle.work.instruments.equipment import Equipment, find_out, try_out
from calm_needle.work.instruments.live_bench import LiveBench
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.instruments.stand_ins import StandIns
from calm_needle.work.jobs.shelf import job_of
from calm_needle.work.soundness import repairs, safe_start
from calm_needle.work.whole_file import read_text, write_whole

TOKENS_KEPT = timedelta(days=2)  # of forms that were sent: nobody has such a page open any more


class Workshop:
    """Everything that lives as long as the server does."""

    def __init__(self, folder: Path, *, clock: Clock = SYSTEM, stand_ins: StandIns | None = None) -> None:
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as fault:
            raise StoreUnusable(f"The data folder {folder} cannot be made: {fault.strerror}. Choose another with --data.") from None
        self.folder, self.clock = folder, clock
        self._path = folder / db.FILE_NAME
        self.photographs = folder / "photographs"
        self.lock = FolderLock(folder)
        backup.finish(folder)  # a copy that was being put back when the program died
        backup.sweep(folder)
        self._idle: queue.LifoQueue[sqlite3.Connection] = queue.LifoQueue()
        self._desks: dict[int, Desk] = {}
        self._lock = clock.lock()
        self._closed = False
        self.stand_ins = stand_ins or StandIns(folder / "stand-ins")
        self.equipment = Equipment(clock=clock, links=self.stand_ins.link)
        self.live = LiveBench(self.equipment)
        self.meters = Meters(self.equipment)
        try:
            with self.store() as conn:  # a folder that cannot be used is found out now
                hearing.remember(conn, self.equipment.ears)
                act_tokens.forget_before(conn, to_text(clock.utc() - TOKENS_KEPT))
        except BaseException:
            self.lock.close()
            raise

    @contextmanager
    def store(self) -> Iterator[sqlite3.Connection]:
        """A connection for as long as it is needed. Raises StoreUnusable, as does everything here once the program is ending."""
        self._expect_open()
        try:
            conn = self._idle.get_nowait()
        except queue.Empty:
            conn = db.connect(self._path, clock=self.clock)
        try:
            with db.told_in_words():
                yield conn
        finally:
            self._idle.put(conn)
            if self._closed:
                self._close_idle()

    def called(self, words: str) -> None:
        """Name what this thread does from now on, for those who have to wait while it writes."""
        db.doing.set(words)

    @property
    def closed(self) -> bool:
        """Whether the program is ending, or has ended."""
        return self._closed

    def secret_key(self) -> str:
        """The key that signs cookies, made once for a data folder and readable by its owner only."""
        file = self.folder / "secret"
        kept = (read_text(file) or "").strip()
        if not re.fullmatch(r"[0-9a-f]{64}", kept):  # none yet, or one that was cut short
            kept = secrets.token_hex(32)
            write_whole(file, kept, mode=0o600)
        return kept

    def desk(self, run_id: int) -> Desk:
        """The run of that number, opened when first asked for. Raises NotFound."""
        with self._lock:
            if run_id not in self._desks:
                self._expect_open()
                conn = db.connect(self._path, clock=self.clock)
                try:
                    self._desks[run_id] = Desk(conn, run_id, self.live)
                except BaseException:
                    conn.close()
                    raise
            return self._desks[run_id]

    def looked_at(self, run_id: int) -> Desk:
        """Open a run to somebody who looks. Looking takes the bench from nobody; where the run has it, its instruments are kept at work."""
        desk = self.desk(run_id)
        desk.looked_at()
        if desk.has_bench:
            with self._lock:
                self._ready(desk)
                self.live.attach(desk)
        return desk

    def take_bench(self, run_id: int, *, over: int = 0) -> Desk:
        """Have the instruments work for a run from now on, where it works with them. over: the run that may be reading there meanwhile.

        Raises BenchInUse where another is; InstrumentError.
        """
        desk = self.desk(run_id)
        desk.looked_at()
        if not desk.on_instruments:
            return desk
        with self._lock:
            before = self.live.client
            if (away := desk.away()) and away.holder and away.run_id != over:
                raise BenchInUse(holder=away.holder)
            self._ready(desk)
            self.live.attach(desk)
        for one in (before, desk):
            if one is not None:
                one.publish(changed=True)
        return desk

    def _ready(self, desk: Desk) -> None:
        """Have the instruments there, and a practice set's twin with them."""
        if self.uses_stand_ins():
            with desk.book() as book:
                set_id, dossier_id = book.job.set_id, book.run.dossier_id
            self._put_on_bench(set_id, dossier_id)
        elif not self.live.states:
            self.connect_instruments()

    @contextmanager
    def mending(self, conn: sqlite3.Connection, job_id: int) -> Iterator[None]:
        """Do what may mend a job's set; its runs in hand are told what was written down as changed by it."""
        before = {r.id for r in repair_store.repairs_of_job(conn, job_id)}
        yield
        if words := repairs.made_since(conn, job_id, before):
            self.set_was_changed(job_id, words)

    def set_was_changed(self, job_id: int, words: str) -> None:
        """Tell the runs of a job that are in hand that something in its set was changed."""
        with self.store() as conn:
            done = runs.finished_runs(conn, job_id)
            in_hand = [run.id for run in runs.runs_of_job(conn, job_id) if run.id not in done]
        for run_id in in_hand:
            self.desk(run_id).set_was_changed(words)

    def power(self, job_id: int, to: Literal["on", "off", "still on"]) -> None:
        """Log that the set of a job is on or off, as somebody says it; a practice set is switched so, and the run in hand told.

        Raises NotFound, FieldsRefused in words, InstrumentError.
        """
        with self.store() as conn:
            job = job_of(conn, job_id)
            match to:
                case "on":
                    safe_start.switch_on(conn, job_id, self.meters_for(job))
                case "off":
                    safe_start.switch_off(conn, job_id, self.meters_if_free(job))
                case "still on":
                    safe_start.say_still_on(conn, job_id)
            run_ids = [run.id for run in runs.runs_of_job(conn, job_id)]
        for run_id in run_ids:
            if (desk := self._desks.get(run_id)) is not None:
                desk.publish(changed=True)

    def meters_for(self, job: shelf.JobRow) -> Meters | None:
        """The meters with a job's set under their probes, or None when its readings are typed. A run of another set that nobody reads lets
        go. Raises BenchInUse where one is being read, InstrumentError.
        """
        if job.bench != "instruments":
            return None
        with self._lock:
            holder = self.live.client
            if isinstance(holder, Desk) and holder.set_id != job.set_id:
                if holder.reads():
                    raise BenchInUse(holder=holder.name)
                self.live.attach(None)
            if self.uses_stand_ins():
                self._put_on_bench(job.set_id, job.dossier_id)
            elif not self.live.states:
                self.connect_instruments()
        return self.meters

    def meters_if_free(self, job: shelf.JobRow) -> Meters | None:
        """As meters_for(), and None while another set is read on the bench: what is said of one that is not there is only written down."""
        try:
            return self.meters_for(job)
        except BenchInUse:
            return None

    def _put_on_bench(self, set_id: int, dossier_id: int) -> None:
        """Put the twin of a set on the bench, unless it is there as it now is: there is one of it, whatever dossier a run began with."""
        with self.store() as conn:
            own = own_dossiers.current(conn, set_id)
            if self.stand_ins.holds(set_id=set_id, built_as=own):
                return
            dossier = shelf.dossier_content(conn, own or dossier_id) or "{}"
            faults = practice.faults_of_set(conn, set_id)
        self.stand_ins.put_on_bench(set_id=set_id, dossier=dossier, faults=faults, built_as=own)
        self.connect_stand_ins()

    def uses_stand_ins(self) -> bool:
        with self.store() as conn:
            return bench_store.setting(conn, "stand-ins") == "on"

    def use_stand_ins(self, on: bool) -> None:
        """Work with the simulated bench, or with real instruments."""
        with self._lock:
            with self.store() as conn:
                bench_store.put_setting(conn, "stand-ins", "on" if on else "off")
            if not on:
                self.stand_ins.unplug()
                self.connect_instruments()

    def connect_stand_ins(self) -> None:
        self.live.connect(self.stand_ins.resources())

    def connect_instruments(self) -> None:
        """Use the instruments that were added by their VISA resource names."""
        with self.store() as conn:
            rows = bench_store.instruments(conn)
        described = {r.kind: parse_description(r.description.encode(), name=r.identity) for r in rows if r.description}
        self.live.connect({r.kind: r.resource for r in rows}, described)

    def add_instrument(self, resource: str, *, said_to_be: str = "") -> tuple[str, str]:
        """Ask what is at a VISA resource name, and use it from now on. Raises InstrumentError in words.

        said_to_be: the kind that a person says it is, where it does not tell by itself.
        """
        kind, identity = find_out(resource, said_to_be=said_to_be)
        with self._lock:
            with self.store() as conn:
                bench_store.put_instrument(conn, kind=kind, resource=resource, identity=identity, stand_in=False, at_utc=now_utc(conn))
            if not self.uses_stand_ins():
                self.connect_instruments()
        return kind, identity

    def add_described(self, resource: str, description: Description) -> None:
        """Use an instrument by its description, once all that it can be asked was read. Raises InstrumentError in words."""
        identity = try_out(resource, description)
        content = write_description(description).decode()
        with self._lock:
            with self.store() as conn:
                bench_store.put_instrument(
                    conn,
                    kind=description.kind,
                    resource=resource,
                    identity=identity,
                    stand_in=False,
                    at_utc=now_utc(conn),
                    description=content,
                )
            if not self.uses_stand_ins():
                self.connect_instruments()

    def remove_instrument(self, kind: str) -> None:
        with self._lock:
            with self.store() as conn:
                bench_store.remove_instrument(conn, kind)
            if not self.uses_stand_ins():
                self.connect_instruments()

    def instruments(self) -> list[bench_store.InstrumentRow]:
        with self.store() as conn:
            return bench_store.instruments(conn)

    def close(self) -> None:
        """Leave everything safe: generator off, stand-ins ended, database closed.

        A connection that somebody is using is closed when they have done: one that is closed under a running statement ends the process.
        """
        with self._lock:
            self._closed = True
            desks = list(self._desks.values())
        for desk in desks:
            desk.end_waiting()
        self.live.close()
        self.stand_ins.unplug()
        self._close_idle()
        for desk in desks:
            desk.close()
        self.lock.close()

    def _expect_open(self) -> None:
        if self._closed:
            raise StoreUnusable("Calm Needle is ending: this was not done, and all kept before is whole. Start it again, then repeat it.")

    def _close_idle(self) -> None:
        with contextlib.suppress(queue.Empty):
            while True:
                self._idle.get_nowait().close()


@contextmanager
def reading_store(folder: Path) -> Iterator[sqlite3.Connection]:
    """A connection to the store of a data folder that another program may hold, for reading. Raises StoreUnusable where there is none."""
    if not (folder / db.FILE_NAME).is_file():
        raise StoreUnusable(f"There is no store in {folder}. Choose another with --data.")
    with contextlib.closing(db.connect(folder / db.FILE_NAME)) as conn, db.told_in_words():
        yield conn


def default_folder(*, demo: bool) -> Path:
    """Where data is kept when nobody says otherwise: the platform's own place."""
    name = "calm-needle-demo" if demo else "calm-needle"
    if sys.platform == "win32":
        return Path(os.environ.get("LOCALAPPDATA", Path.home() / "AppData" / "Local")) / name
    if sys.platform == "darwin":
        return Path.home() / "Library" / "Application Support" / name
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / name
