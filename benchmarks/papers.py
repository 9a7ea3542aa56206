"""The record of a job, its certificate, its file, and copies of the whole store: how long each takes, and how much memory."""

import io
import re
import tempfile
import threading
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

from benchmarks import jobs as others
from benchmarks.figures import milliseconds
from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.store import db
from calm_needle.web.app import create_app
from calm_needle.work import backup, demo_world
from calm_needle.work.jobs import job_files
from calm_needle.work.record import certificate
from calm_needle.work.verification import measuring
from calm_needle.work.workshop import Workshop

TYPED, ALIGNED = 3, 1  # jobs of the demo world
CERTIFICATES, ROUNDS = 10, 3
JOB_READINGS, STORE_READINGS = 100_000, 2_000_000
BANDS = ("LW", "MW", "SW")


def run() -> list[str]:
    """Return one line a figure."""
    return [*_record_and_certificate(), *_job_file(), *_copy(), *_memory()]


def _memory() -> list[str]:
    """What 57 recordings of half a minute and the papers of ten jobs leave in memory, in a process of its own."""
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        before, after = pool.submit(_recordings_and_papers).result()
    return [f"memory before 57 recordings and the papers of ten jobs {before:.0f} MB, after {after:.0f} MB; wanted ≤ 100 MB more"]


def _recordings_and_papers() -> tuple[float, float]:
    import numpy as np

    from tests.support.recordings import wav

    def resident_mb() -> float:
        return int(re.search(r"VmRSS:\s+(\d+)", Path("/proc/self/status").read_text())[1]) / 1e3  # type: ignore[index]

    with tempfile.TemporaryDirectory() as folder:
        workshop = Workshop(Path(folder))
        with workshop.store() as conn:
            demo_world.load(conn)
        app = create_app(workshop)
        app.config.update(WTF_CSRF_ENABLED=False)
        client = app.test_client()
        sound = wav(0.3 * np.sin(2.0 * np.pi * 400.0 * np.arange(30 * 48_000) / 48_000), rate_hz=48_000)
        for page in ("/", "/jobs/3/record", "/jobs/3/papers/hand-back.pdf"):
            client.get(page).close()
        before = resident_mb()
        for n in range(57):
            data = {"recording": (io.BytesIO(sound), "a.wav"), "words": f"r{n}"}
            client.post(f"/jobs/{1 + n % 10}/recordings", data=data, content_type="multipart/form-data").close()
        for job_id in range(1, 11):
            for page in ("recordings", "record", "papers/hand-back.pdf", "papers/bench-sheets.pdf", "papers/outstanding.pdf"):
                client.get(f"/jobs/{job_id}/{page}").close()
        after = resident_mb()
        workshop.close()
    return before, after


def _record_and_certificate() -> list[str]:
    with tempfile.TemporaryDirectory() as folder:
        workshop = Workshop(Path(folder))
        with workshop.store() as conn:
            demo_world.load(conn)
            for definition in ("s-plus-n", "sinad"):
                for band in BANDS:
                    words = DEFINITIONS[definition].words
                    form = {"band": band, "level_v": "9u", "definition": words, "coupling": "dummy aerial", "cover": "on"}
                    measuring.write_down(conn, TYPED, "sensitivity", form)
            spent = []
            for _ in range(CERTIFICATES):
                began = time.perf_counter()
                certificate.pdf_of(conn, certificate.issue(conn, TYPED, {"reason": "for the open day"}))
                spent.append(time.perf_counter() - began)
        client = create_app(workshop).test_client()
        lines = [milliseconds("certificate issued", spent, most="≤ 2 s")]
        for job_id in (ALIGNED, TYPED):
            lines.append(others.server_time(client, f"/jobs/{job_id}/record", f"record of job {job_id}", "p95 ≤ 60 ms"))
        workshop.close()
    return lines


def _job_file() -> list[str]:
    """A job of so many readings out and in again, each in a process of its own."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder)
        workshop = Workshop(path)
        with workshop.store() as conn:
            demo_world.load(conn)
            _more_of_what_it_read(conn)
        workshop.close()
        out = _apart(_write_job, path)
        into = _apart(_take_job_in, path)
        size = (path / "job.json").stat().st_size / 1e6
    words = f"a job of {JOB_READINGS} readings ({size:.0f} MB)"
    return [f"{words}, {way}: {seconds:.2f} s, {mb:.0f} MB; wanted ≤ 4 s, ≤ 300 MB" for way, (seconds, mb) in (("out", out), ("in", into))]


def _more_of_what_it_read(conn: db.sqlite3.Connection) -> None:
    """Have the aligned job's run read the same again and again, until there are so many readings."""
    columns = [str(row[1]) for row in conn.execute("PRAGMA table_info(reading)") if row[1] != "id"]
    rows = conn.execute(f"SELECT {', '.join(columns)} FROM reading").fetchall()
    marks = ", ".join("?" * len(columns))
    with db.transaction(conn):
        for at in range(0, JOB_READINGS - len(rows), len(rows)):
            few = rows[: JOB_READINGS - len(rows) - at]
            conn.executemany(f"INSERT INTO reading ({', '.join(columns)}) VALUES ({marks})", few)


def _apart(deed: Callable[[Path], None], folder: Path) -> tuple[float, float]:
    with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
        return pool.submit(_timed, deed, folder).result()


def _timed(deed: Callable[[Path], None], folder: Path) -> tuple[float, float]:
    began = time.perf_counter()
    deed(folder)
    seconds = time.perf_counter() - began
    peak = re.search(r"VmHWM:\s+(\d+) kB", Path("/proc/self/status").read_text())
    return seconds, int(peak[1]) / 1e3 if peak else 0.0


def _write_job(folder: Path) -> None:
    conn = db.connect(folder / db.FILE_NAME)
    (folder / "job.json").write_bytes(job_files.write(conn, folder / "photographs", ALIGNED))
    conn.close()


def _take_job_in(folder: Path) -> None:
    conn = db.connect(folder / db.FILE_NAME)
    job_files.take_in(conn, folder / "photographs", (folder / "job.json").read_bytes(), name="job.json")
    conn.close()


def _copy() -> list[str]:
    """The copy of a large store, while readings are being taken: how long, and the longest that a reading had to wait."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder)
        workshop = Workshop(path)
        with workshop.store() as conn:
            demo_world.load(conn)
            runs = [others.run_of(conn, TYPED) for _ in range(20)]
            for run_id in runs:
                others.add_readings(conn, run_id, STORE_READINGS // len(runs))
        ended, waits = threading.Event(), [0.0]

        def take_readings() -> None:
            while not ended.wait(0.02):
                began = time.perf_counter()
                with workshop.store() as conn:
                    others.add_readings(conn, runs[0], 1)
                waits.append(time.perf_counter() - began)

        hand = threading.Thread(target=take_readings)
        hand.start()
        spent = []
        for n in range(ROUNDS):
            began = time.perf_counter()
            made = backup.make(path, path / f"copy-{n}.zip")
            spent.append(time.perf_counter() - began)
        ended.set()
        hand.join()
        began = time.perf_counter()
        backup.verify(made)
        verified = time.perf_counter() - began
        size = made.stat().st_size / 1e6
        workshop.close()
    return [
        f"copy of {STORE_READINGS} readings ({size:.0f} MB) while {len(waits) - 1} more are taken: {max(spent):.1f} s at most of {ROUNDS}; "
        "wanted ≤ 10 s",
        f"the longest that one of those readings waited: {max(waits):.2f} s; the copy looked at from end to end: {verified:.1f} s",
    ]
