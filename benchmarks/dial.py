"""A hundred rehearsals of each band's dial, guided and by the book; a drifted padder; the front end; and the time of the advice."""

import statistics
import sys
import time
from collections.abc import Iterable, Sequence
from concurrent.futures import ProcessPoolExecutor
from importlib import resources
from typing import Any, NamedTuple

from calm_needle.core.dossier.model import Step
from calm_needle.core.dossier.read import read_model
from calm_needle.core.procedure.dial.advice import dial_decision
from calm_needle.core.procedure.plan import plan_of
from calm_needle.core.procedure.run import Place, RunState, Visit
from calm_needle.files.dossiers import load_dossier
from calm_needle.work.rehearsals import score

SEEDS = range(1, 101)
BANDS = {"halvern-6b": ("LW", "MW"), "corvane-r-40": ("A", "B", "C", "D")}
DRIFTED = (
    ("halvern-6b", "MW", "mw-padder-drifted"),
    ("halvern-6b", "LW", "lw-padder-drifted"),
    ("corvane-r-40", "A", "band-a-padder-drifted"),
)
FRONT_ENDS = (("halvern-6b", "LW"), ("halvern-6b", "MW"), ("halvern-6b", "SW"), ("corvane-r-40", "A"))
WHOLE = range(1, 13)
SENSITIVE_DB = 10.0 ** (0.5 / 20.0)


class Task(NamedTuple):
    dossier: str
    bands: tuple[str, ...]
    seed: int
    method: str = "guided"
    phase: str = "dial"
    fault: str = ""


def one(task: Task) -> dict[str, Any]:
    """Return one rehearsal."""
    content = resources.files("calm_needle.demo").joinpath(f"dossiers/{task.dossier}.json").read_bytes()
    more: dict[str, Any] = {"phase": task.phase, "bands": task.bands, "method": task.method, "faults": [task.fault] if task.fault else []}
    return score(content, name=f"{task.dossier}.json", seed=task.seed, misalign="severe", **more)


def run() -> list[str]:
    """Return the figures of the table, as measured."""
    seeds = SEEDS if "--few" not in sys.argv else range(1, 13)
    out: list[str] = []
    with ProcessPoolExecutor(2) as workers:
        for dossier, bands in BANDS.items():
            for band in bands:
                guided, book = (list(workers.map(one, [Task(dossier, (band,), s, m) for s in seeds])) for m in ("guided", "book"))
                out.append(_band(f"{dossier} {band}", guided, book))
                print(out[-1], flush=True)
        for dossier, band, fault in DRIFTED:
            found = list(workers.map(one, [Task(dossier, (band,), s, fault=fault) for s in seeds]))
            out.append(f"{dossier} {band}, padder 10 % off: named {sum(bool(r['fault_named']) for r in found)} of {len(found)} (≥ 95)")
            print(out[-1], flush=True)
        for dossier, band in FRONT_ENDS:
            found = list(workers.map(one, [Task(dossier, (band,), s, phase="front-end") for s in seeds]))
            out.append(_front_end(f"{dossier} {band}, front end", found))
            print(out[-1], flush=True)
        whole = [list(workers.map(one, [Task("halvern-6b", (), s, m, "all") for s in WHOLE])) for m in ("guided", "book")]
    minutes = [statistics.median(r["minutes"] for r in of) for of in whole]
    out.append(
        f"whole Halvern, IF to front end, {len(WHOLE)} seeds: {minutes[0]:.1f} min guided, {minutes[1]:.1f} min by the book (no more)"
    )
    out.append(f"advice from three marks: {1e3 * advice_s():.0f} ms (≤ 60)")
    return out


def _band(name: str, guided: Sequence[dict[str, Any]], book: Sequence[dict[str, Any]]) -> str:
    ours, theirs = ([r["bands"][0] for r in of] for of in (guided, book))
    near = sum(b["dial_error_worst_hz"] <= 1.15 * b["dial_least_possible_worst_hz"] + 5e-4 * b["dial_error_worst_at_hz"] for b in ours)
    ratio = _median(b["dial_error_worst_hz"] / b["dial_least_possible_worst_hz"] for b in ours)
    against = _median(b["dial_error_worst_hz"] for b in ours) / _median(b["dial_error_worst_hz"] for b in theirs)
    touches = _median(b["oscillator_touches"] for b in ours) / _median(b["oscillator_touches"] for b in theirs)
    accused = sum(any(f["accuses"] for f in r["findings"]) for r in guided)
    images = sum(b["on_image"] for b in ours)
    return "; ".join(
        (
            f"{name}, {len(ours)} seeds: within 1.15 of the least + 0.05 % {near} (≥ 95), {ratio:.2f} times the least",
            f"{against:.2f} of the book’s error (≤ 0.5), {touches:.2f} of its touches (≤ 0.7)",
            f"on an image {images} (0), accused wrongly {accused} (≤ 2)",
        )
    )


def _front_end(name: str, found: Sequence[dict[str, Any]]) -> str:
    bands = [r["bands"][0] for r in found]
    loss, least = _median(b["tracking_loss_worst_db"] for b in bands), _median(b["tracking_least_loss_worst_db"] for b in bands)
    near = sum(b["sensitivity_v"] <= SENSITIVE_DB * b["sensitivity_best_v"] for b in bands)
    within = sum(b["tracking_loss_worst_db"] <= 0.5 for b in bands)
    could = sum(b["tracking_least_loss_worst_db"] <= 0.5 for b in bands)
    tracking = f"tracking loss {loss:.2f} dB (≤ 0.5; the least possible {least:.2f}), within {within} of the {could} that can be"
    return f"{name}: {tracking}; sensitivity within 0.5 dB {near}"


def _median(values: Iterable[float]) -> float:
    return float(statistics.median(values))


def advice_s() -> float:
    """Return the seconds of server time that the whole advice takes once three marks were read: doubts, cause, settings, moves, words."""
    content = resources.files("calm_needle.demo").joinpath("dossiers/halvern-6b.json").read_bytes()
    model = read_model(load_dossier(content, name="halvern-6b.json"))
    plan = plan_of(model, "oscillator and dial")
    group = next(g for g in plan.groups if g.steps[0].set_up.tuning.band == "MW")
    state = RunState(
        "decision", plan, Place(group.id, None, 1), visits=tuple(_read(i, step, group.id) for i, step in enumerate(group.steps))
    )
    took = []
    for _ in range(20):
        began = time.perf_counter()
        assert dial_decision(model, state, group, {}).advised == "least-worst"
        took.append(time.perf_counter() - began)
    return statistics.median(took)


def _read(number: int, step: Step, group_id: str) -> Visit:
    """A mark read somewhat beside."""
    mark_hz = float(step.aim["mark_hz"])
    detail = {"receives_hz": mark_hz * (1.02 + 0.01 * number), "sigma_hz": 20.0}
    return Visit(number + 1, Place(group_id, step.id, 1), outcome="take", detail=detail)
