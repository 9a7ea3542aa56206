"""The calculators: in process, by the line, and a page's answer to a keystroke."""

import json
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from benchmarks.figures import milliseconds, quantile
from calm_needle.core.physics.response import fit_pair, pair_levels_db
from calm_needle.core.reckon import answers as calculators
from calm_needle.web.app import create_app
from calm_needle.work import demo_world
from calm_needle.work.workshop import Workshop

TIMES = 30
LINES = 3_000


def run() -> list[str]:
    """Return the slowest calculators, tracking and fit, lines a second, and the server time of every page's answer."""
    return [*_in_process(), *_fit(), *_by_the_line(), *_keystroke()]


def _median_ms(work: Callable[[], object]) -> float:
    work()
    spent = []
    for _ in range(TIMES):
        began = time.perf_counter()
        work()
        spent.append(1e3 * (time.perf_counter() - began))
    return statistics.median(spent)


def _typed(name: str) -> dict[str, str]:
    return {k.name: k.example for k in calculators.find(name).keys if k.example}


def _in_process() -> list[str]:
    took = {}
    for name, calculator in calculators.CALCULATORS.items():
        if all(k.kind != "file" for k in calculator.keys):
            typed = _typed(name)
            took[name] = _median_ms(lambda name=name, typed=typed: calculators.answer_text(name, typed))  # type: ignore[misc]
    tracking = calculators.find("tracking")
    answer = calculators.answer_text("tracking", _typed("tracking"))
    whole = took.pop("tracking") + _median_ms(lambda: tracking.picture(answer.inputs, answer.results))
    slow = sorted(took, key=took.__getitem__, reverse=True)[:3]
    return [
        f"{len(took)} calculators in process, slowest medians: {', '.join(f'{n} {took[n]:.2f} ms' for n in slow)}; wanted ≤ 5 ms each",
        f"three-point tracking with error curve and best points: {whole:.2f} ms; wanted ≤ 40 ms",
    ]


def _fit() -> list[str]:
    f = np.linspace(456e3, 480e3, 401)
    db = pair_levels_db(f, f1_hz=466e3, q1=80.0, f2_hz=470e3, q2=70.0, kappa=0.8) + np.random.default_rng(1).normal(0, 0.1, 401)
    took = _median_ms(lambda: fit_pair(frequencies_hz=f.tolist(), levels_db=db.tolist()))
    return [f"fit of a 401-point response: {took:.1f} ms; wanted ≤ 150 ms"]


def _by_the_line() -> list[str]:
    golden = json.loads(Path("tests/golden/compute.json").read_text(encoding="utf-8"))
    cases = [json.dumps({"name": c["name"], "inputs": c["inputs"]}) for c in golden]
    text = "\n".join((cases * (LINES // len(cases) + 1))[:LINES]) + "\n"
    began = time.perf_counter()
    subprocess.run(
        [sys.executable, "-m", "calm_needle.cli", "compute", "--lines"], input=text, text=True, stdout=subprocess.DEVNULL, check=True
    )
    return [
        f"compute --lines, {LINES} reference cases, start included: {LINES / (time.perf_counter() - began):,.0f} a second; wanted ≥ 300"
    ]


def _keystroke() -> list[str]:
    spent, slowest, name_of_slowest = [], 0.0, ""
    with tempfile.TemporaryDirectory() as folder:
        workshop = Workshop(Path(folder))
        with workshop.store() as conn:
            demo_world.load(conn)
        app = create_app(workshop)
        app.config["WTF_CSRF_ENABLED"] = False
        client = app.test_client()
        for name in calculators.CALCULATORS:
            typed = _typed(name)
            client.post(f"/reckon/{name}", data=typed, headers={"X-Part": "answer"}).close()
            own = []
            for _ in range(TIMES // 3):
                began = time.perf_counter()
                client.post(f"/reckon/{name}", data=typed, headers={"X-Part": "answer"}).close()
                own.append(time.perf_counter() - began)
            spent += own
            if quantile(own, 0.95) > slowest:
                slowest, name_of_slowest = quantile(own, 0.95), name
        workshop.close()
    return [
        milliseconds("answer to a keystroke, all pages", spent, most="p95 ≤ 50 ms"),
        f"slowest page of them: {name_of_slowest}, p95 {1e3 * slowest:.1f} ms",
    ]
