"""Server time of each page on the demo data, and what a visit weighs on the wire."""

import statistics
import tempfile
import time
from pathlib import Path

from playwright.sync_api import Request

from benchmarks.figures import milliseconds
from calm_needle.web.app import create_app
from calm_needle.work import demo_world
from calm_needle.work.jobs import shelf as shelf_work
from calm_needle.work.workshop import Workshop
from tests.support.browser import LiveServer, close_shared_browser, new_page

PATHS = ("/", "/jobs/2", "/models/halvern-6b", "/instruments", "/runs/1/record", "/bench/2", "/reckon", "/reckon/tracking")
TIMES = 60


def run() -> list[str]:
    """Return one line a page, and the weights of first and later visits."""
    return [*_server_time(), *_weight()]


def _server_time() -> list[str]:
    lines = []
    with tempfile.TemporaryDirectory() as folder:
        workshop = Workshop(Path(folder))
        with workshop.store() as conn:
            demo_world.load(conn)
            shelf_work.begin_run(conn, 3, "intermediate frequency")
        client = create_app(workshop).test_client()
        for path in PATHS:
            client.get(path)
            spent = []
            for _ in range(TIMES):
                began = time.perf_counter()
                client.get(path).close()
                spent.append(time.perf_counter() - began)
            lines.append(milliseconds(f"server time of {path}", spent, most="p95 ≤ 12 ms"))
        workshop.close()
    return lines


def _weight() -> list[str]:
    live = LiveServer(times=1.0)
    first, later = [], []
    try:
        with live.workshop.store() as conn:
            shelf_work.begin_run(conn, 3, "intermediate frequency")
        for path in PATHS:
            page = new_page(live.url, errors=[])
            for weights in (first, later):
                sizes: list[int] = []

                def weigh(request: Request, sizes: list[int] = sizes) -> None:
                    size = request.sizes()
                    sizes.append(size["responseBodySize"] + size["responseHeadersSize"])

                page.on("requestfinished", weigh)
                page.goto(path)
                page.wait_for_load_state("networkidle")
                page.remove_listener("requestfinished", weigh)
                weights.append(sum(sizes))
            page.context.close()
    finally:
        live.close()
        close_shared_browser()
    return [_weights("first", first, "≤ 90 kB"), _weights("later", later, "≤ 30 kB")]


def _weights(visit: str, sizes: list[int], most: str) -> str:
    heaviest, median = max(sizes), statistics.median(sizes)
    path = PATHS[sizes.index(heaviest)]
    return f"{visit} visit, heaviest page {path}: {heaviest / 1e3:.0f} kB, median {median / 1e3:.0f} kB; wanted {most}"
