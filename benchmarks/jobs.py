"""Server time of the work before alignment: a table of 120 parts, a full job, and a store of ten thousand jobs."""

import io
import json
import re
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from flask.testing import FlaskClient
from PIL import Image

from benchmarks.figures import milliseconds
from calm_needle.store import db
from calm_needle.web.app import create_app
from calm_needle.work import demo_world
from calm_needle.work.jobs import photographs
from calm_needle.work.jobs import shelf as shelf_work
from calm_needle.work.workshop import Workshop

PARTS, READINGS, PHOTOGRAPHS = 120, 5_000, 60
MANY_JOBS, MANY_READINGS = 10_000, 2_000_000
TIMES = 60
DAY = "2026-11-25T10:00:00.000Z"


def run() -> list[str]:
    """Return one line a figure."""
    return [*_parts(), *_full_job(), *_many_jobs()]


def _parts() -> list[str]:
    """A dossier of 120 parts, each typed once as the page's script sends it."""
    with tempfile.TemporaryDirectory() as folder:
        workshop, client, token = _workshop(Path(folder))
        with workshop.store() as conn:
            data = json.loads(shelf_work.dossier_text(conn, "dunlin-3"))
            region = data["parts"][0]["region"]
            data["key"], data["name"] = "many-parts", "Many parts"
            data["parts"] += [
                {"id": f"X{i}", "kind": "resistor", "nominal": 1000.0 + i, "tolerance_percent": 10, "region": region}
                for i in range(PARTS - len(data["parts"]))
            ]
            shelf_work.take_in_dossier(conn, json.dumps(data).encode(), name="many")
            job_id = shelf_work.open_job(conn, {"model": "many-parts", "serial": "1", "complaint": "hums", "bench": "typed"})
        spent = []
        for part in data["parts"]:
            form = {"csrf_token": token, "part": part["id"], "value": str(part["nominal"])}
            began = time.perf_counter()
            answer = client.post(f"/jobs/{job_id}/parts", data=form, headers={"X-Part": "line"})
            spent.append(time.perf_counter() - began)
            assert answer.status_code == 200, answer.get_data(as_text=True)
        workshop.close()
    return [milliseconds(f"one of {PARTS} parts entered, with its verdict", spent, most="p95 ≤ 30 ms")]


def _full_job() -> list[str]:
    with tempfile.TemporaryDirectory() as folder:
        workshop, client, _ = _workshop(Path(folder))
        with workshop.store() as conn:
            run_id = shelf_work.begin_run(conn, 3, "intermediate frequency")
            add_readings(conn, run_id, READINGS)
            for i in range(PHOTOGRAPHS):
                picture = io.BytesIO()
                Image.new("RGB", (400, 300), (4 * i, 90, 250 - 4 * i)).save(picture, "JPEG")
                photographs.attach(conn, workshop.photographs, 3, content=picture.getvalue(), name="a.jpg", caption=f"no. {i}")
        lines = [server_time(client, "/jobs/3", f"job page with {READINGS} readings and {PHOTOGRAPHS} photographs", "p95 ≤ 60 ms")]
        lines.append(server_time(client, "/jobs/3/photographs", f"page of {PHOTOGRAPHS} photographs", "p95 ≤ 60 ms"))
        workshop.close()
    return lines


def _many_jobs() -> list[str]:
    with tempfile.TemporaryDirectory() as folder:
        workshop, client, _ = _workshop(Path(folder))
        with workshop.store() as conn, db.transaction(conn):
            models = [row[0] for row in conn.execute("SELECT id FROM model")]
            first = conn.execute("SELECT max(id) FROM radio_set").fetchone()[0] + 1
            conn.executemany(
                "INSERT INTO radio_set (id, model_id, serial, owner, added_utc) VALUES (?, ?, ?, ?, ?)",
                ((first + i, models[i % len(models)], f"N{i:05d}", f"owner {i % 700}", DAY) for i in range(MANY_JOBS)),
            )
            conn.executemany(
                "INSERT INTO job (set_id, complaint, bench, opened_utc) VALUES (?, ?, 'typed', ?)",
                ((first + i, f"weak on band {i % 9}, hums after {i % 41} minutes", DAY) for i in range(MANY_JOBS)),
            )
            jobs = [row[0] for row in conn.execute("SELECT id FROM job ORDER BY id DESC LIMIT 400")]
        with workshop.store() as conn:
            for job_id in jobs:
                add_readings(conn, run_of(conn, job_id), MANY_READINGS // len(jobs))
        lines = [
            server_time(client, path, f"{MANY_JOBS} jobs, {MANY_READINGS} readings: {words}", most)
            for path, words, most in (
                ("/", "the shelf", "p95 ≤ 80 ms"),
                ("/?page=200", "its page 200", "p95 ≤ 80 ms"),
                (f"/jobs/{jobs[0]}", "a job", "p95 ≤ 80 ms"),
                ("/?q=dunlin+hums", "search for two words", "p95 ≤ 60 ms"),
                ("/?q=N04242", "search for a number", "p95 ≤ 60 ms"),
                ("/?q=nothing+like+it", "search that finds nothing", "p95 ≤ 60 ms"),
            )
        ]
        workshop.close()
    return lines


def _workshop(folder: Path) -> tuple[Workshop, FlaskClient, str]:
    workshop = Workshop(folder)
    with workshop.store() as conn:
        demo_world.load(conn)
    client = create_app(workshop).test_client()
    found = re.search(r'name="csrf-token" content="([^"]+)"', client.get("/").get_data(as_text=True))
    assert found
    return workshop, client, found[1]


def run_of(conn: db.sqlite3.Connection, job_id: int) -> int:
    dossier = conn.execute(
        "SELECT m.dossier_id FROM job j JOIN radio_set s ON s.id = j.set_id JOIN model m ON m.id = s.model_id WHERE j.id = ?", (job_id,)
    ).fetchone()[0]
    return int(
        conn.execute(
            """
            INSERT INTO run (job_id, dossier_id, phase, bench, started_utc)
            VALUES (?, ?, 'intermediate frequency', 'typed', ?) RETURNING id""",
            (job_id, dossier, DAY),
        ).fetchone()[0]
    )


def add_readings(conn: db.sqlite3.Connection, run_id: int, count: int) -> None:
    with db.transaction(conn):
        visit = conn.execute(
            "INSERT INTO act (run_id, kind, at_utc, detail) VALUES (?, 'begin', ?, '{}') RETURNING id", (run_id, DAY)
        ).fetchone()[0]
        set_up = conn.execute("INSERT INTO set_up (run_id, detail, at_utc) VALUES (?, '{}', ?) RETURNING id", (run_id, DAY)).fetchone()[0]
        conn.executemany(
            """
            INSERT INTO reading (run_id, visit_id, set_up_id, kind, value, unit, instrument, at_utc)
            VALUES (?, ?, ?, 'typed', ?, 'V', 'by eye', ?)""",
            ((run_id, visit, set_up, 0.1 + i * 1e-6, DAY) for i in range(count)),
        )


def server_time(client: FlaskClient, path: str, words: str, most: str) -> str:
    get: Callable[[], int] = lambda: client.get(path).status_code  # noqa: E731
    assert get() == 200, path
    spent = []
    for _ in range(TIMES):
        began = time.perf_counter()
        get()
        spent.append(time.perf_counter() - began)
    return milliseconds(words, spent, most=most)
