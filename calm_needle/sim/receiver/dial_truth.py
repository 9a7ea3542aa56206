"""What only the practice set knows of its dial and its front end, and the best that its own adjusters could do.

The best is found in the true tanks by trying: a grid over all that turns, drawn closer about its best place again and again. It shares no
line with what advises at the bench.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.dossier.model import Band
from calm_needle.core.lazy import Lazy
from calm_needle.sim.receiver.adjuster import Compression, Core, Rotary
from calm_needle.sim.receiver.band_tank import BandTank, Variable
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from calm_needle.sim.receiver.stages.band_tanks import BandTanks

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")

GRID, CLOSER, TIMES = 21, 0.5, 14
IMAGE_SHARE = 0.25  # of twice the intermediate frequency
FEEBLE_V, DEPTH = 5e-6, 0.3
STANDARD_W = 0.05


class DialTruth(NamedTuple):
    """Errors at the printed marks (Hz), the worst and where, their r.m.s., the least worst that the adjusters can do, whether it was set
    to the image somewhere."""

    errors_hz: tuple[float, ...]
    worst_hz: float
    worst_at_hz: float
    rms_hz: float
    least_worst_hz: float
    on_image: bool


class FrontEndTruth(NamedTuple):
    """What the signal circuits lose for not following (dB), worst at a tracking point, and the least of that; e.m.f. for the standard
    output, as it is and at best (V, geometric means over the tracking points)."""

    loss_worst_db: float
    least_loss_worst_db: float
    sensitivity_v: float
    sensitivity_best_v: float


def dial_truth(receiver: PracticeReceiver, band: Band) -> DialTruth:
    """Return the truth about a band's dial. The set must have an oscillator there."""
    assert receiver.chain.oscillator is not None
    tank = receiver.chain.oscillator.tanks[band.id]
    side = 1.0 if band.side == "above" else -1.0
    marks = [m.dial_hz for m in band.marks]
    here = _errors(receiver, band, [np.array([v]) for v in _values(tank)])[:, 0]
    at = int(np.argmax(np.abs(here)))
    image = bool(np.any(np.abs(here + 2.0 * side * band.if_hz) < IMAGE_SHARE * 2.0 * band.if_hz))
    least, _ = _least(lambda tried: _worst(receiver, band, tried), tank)
    return DialTruth(tuple(here.tolist()), float(abs(here[at])), marks[at], float(np.sqrt(np.mean(here**2))), least, image)


def set_right(receiver: PracticeReceiver, band: Band) -> None:
    """Bring a band's oscillator to the best that its adjusters can do, as somebody would have left it who knew all."""
    assert receiver.chain.oscillator is not None
    tank = receiver.chain.oscillator.tanks[band.id]
    _, values = _least(lambda tried: _worst(receiver, band, tried), tank)
    _bring(tank, values)


class _Losses(NamedTuple):
    """What one stage of a band's signal circuits loses at the tracking points (dB, rows) with its coil, trimmer and padder so (columns)."""

    tank: BandTank
    of: Callable[[Sequence[Floats]], Floats]


def front_end_truth(receiver: PracticeReceiver, band: Band) -> FrontEndTruth:
    """Return the truth about a band's signal circuits, where its dossier has tracking points."""
    points = [float(p["dial_hz"]) for p in band.tracking]
    received = _received(receiver, band, points)
    total, least, least_mean = np.zeros(len(points)), 0.0, 0.0
    for stage in _losing(receiver, band, points, received):
        total += stage.of([np.array([v]) for v in _values(stage.tank)])[:, 0]
        least += _least(lambda values, f=stage.of: f(values).max(axis=0), stage.tank)[0]  # type: ignore[misc]
        least_mean += _least(lambda values, f=stage.of: f(values).mean(axis=0), stage.tank)[0]  # type: ignore[misc]
    now_v = _sensitivity(receiver, band, points, received.tolist())
    best_v = now_v * 10.0 ** ((least_mean - float(total.mean())) / 20.0)
    return FrontEndTruth(float(total.max()), least, now_v, best_v)


def set_front_end_right(receiver: PracticeReceiver, band: Band) -> None:
    """Bring a band's signal circuits to where they lose least at its tracking points, the oscillator as it stands."""
    points = [float(p["dial_hz"]) for p in band.tracking]
    for stage in _losing(receiver, band, points, _received(receiver, band, points)):
        _, values = _least(lambda values, f=stage.of: f(values).max(axis=0), stage.tank)  # type: ignore[misc]
        _bring(stage.tank, values)


def _received(receiver: PracticeReceiver, band: Band, points: Sequence[float]) -> Floats:
    assert receiver.chain.oscillator is not None
    side, tank = 1.0 if band.side == "above" else -1.0, receiver.chain.oscillator.tanks[band.id]
    return np.array([tank.frequency_hz(receiver.dial.gang_f(band.id, f)) - side * band.if_hz for f in points])


def _losing(receiver: PracticeReceiver, band: Band, points: Sequence[float], received: Floats) -> Iterator[_Losses]:
    for stage in receiver.chain.stages:
        if not isinstance(stage, BandTanks) or band.id not in stage.tanks:
            continue
        q, n = stage.setting(band.id, "q"), stage.setting(band.id, "circuits")
        section = np.array([receiver.dial.gang_f(band.id, f, section=stage.stage_id) for f in points])

        def losses(values: Sequence[Floats], q: float = q, n: float = n, section: Floats = section) -> Floats:
            l_h, trim_f, padder_f = values
            f0 = resonance(l_h, 1.0 / (1.0 / padder_f + 1.0 / (section[:, None] + trim_f)))
            a = q * (received[:, None] / f0 - f0 / received[:, None])
            return np.asarray(10.0 * n * np.log10(1.0 + a * a), dtype=np.float64)

        yield _Losses(stage.tanks[band.id], losses)


def _bring(tank: BandTank, values: Sequence[float]) -> None:
    for variable, value in zip((tank.inductance, tank.trimmer, tank.padder), values, strict=True):
        if variable is not None and variable.adjuster is not None:
            variable.set_to(value)


def _errors(receiver: PracticeReceiver, band: Band, values: Sequence[Floats]) -> Floats:
    """The error at each mark (rows, Hz) with the oscillator's coil, trimmer and padder so (columns)."""
    l_h, trim_f, padder_f = values
    side = 1.0 if band.side == "above" else -1.0
    marks = np.array([m.dial_hz for m in band.marks])
    gang = np.array([receiver.dial.gang_f(band.id, f) for f in marks])
    c = gang[:, None] + trim_f
    return np.asarray(resonance(l_h, 1.0 / (1.0 / padder_f + 1.0 / c)) - side * band.if_hz - marks[:, None], dtype=np.float64)


def _worst(receiver: PracticeReceiver, band: Band, values: Sequence[Floats]) -> Floats:
    return np.asarray(np.abs(_errors(receiver, band, values)).max(axis=0), dtype=np.float64)


def resonance(l_h: Floats, c_f: Floats) -> Floats:
    """Return where coils and capacitances resonate (Hz)."""
    return np.asarray(1.0 / (2.0 * math.pi * np.sqrt(l_h * c_f)), dtype=np.float64)


def _values(tank: BandTank) -> tuple[float, float, float]:
    return tank.l_h, tank.trim_f, tank.padder_f or math.inf


def _reach(variable: Variable | None) -> tuple[float, float] | None:
    """Between which values what turns can be brought; None where nothing turns."""
    match variable.adjuster if variable else None:
        case Core() as core if not core.seized:
            low, high = core.l_min_h, core.l_max_h
        case Rotary() | Compression() as trimmer:
            low, high = trimmer.least_f, trimmer.most_f
        case _:
            return None
    assert variable is not None
    return variable.fixed + low, variable.fixed + high


def _least(cost: Callable[[Sequence[Floats]], Floats], tank: BandTank) -> tuple[float, list[float]]:
    """The least of a cost over all that turns, and the values that have it: a grid about the best place so far, ever closer."""
    values = _values(tank)
    reach = [_reach(v) for v in (tank.inductance, tank.trimmer, tank.padder)]
    axes = [i for i, r in enumerate(reach) if r is not None]
    middle = [(r[0] + r[1]) / 2.0 if r else v for r, v in zip(reach, values, strict=True)]
    half = [(r[1] - r[0]) / 2.0 if r else 0.0 for r in reach]
    best = math.inf
    for _ in range(TIMES):
        lines = [
            np.clip(np.linspace(middle[i] - half[i], middle[i] + half[i], GRID), reach[i][0], reach[i][1])  # type: ignore[index]
            for i in axes
        ]
        grid = np.array(list(itertools.product(*lines))).T if axes else np.zeros((0, 1))
        columns = [grid[axes.index(i)] if i in axes else np.full(grid.shape[1], values[i]) for i in range(3)]
        costs = cost(columns)
        k = int(np.argmin(costs))
        best = min(best, float(costs[k]))
        middle = [float(columns[i][k]) for i in range(3)]
        half = [CLOSER * h for h in half]
    return best, middle


def _sensitivity(receiver: PracticeReceiver, band: Band, points: Sequence[float], received_hz: Sequence[float]) -> float:
    """E.m.f. at the aerial for the standard output (V), from what a feeble signal gives; the set is left as it stood."""
    before = receiver.lead, receiver.feed, receiver.dial.band, receiver.dial.dial_hz
    watched = next(
        (s.set_up.watched for g in receiver.model.groups for s in g.steps if s.set_up.watched and s.set_up.watched.load_ohm), None
    )
    standard_v = math.sqrt(STANDARD_W * (watched.load_ohm if watched and watched.load_ohm else 3.0))
    receiver.lead = receiver.chain.stages[0].points[-1] if receiver.chain.stages[0].points else None
    receiver.dial.select(band.id)
    logs = []
    for point, f_hz in zip(points, received_hz, strict=True):
        receiver.dial.point(point)
        receiver.feed = Input(f_hz, FEEBLE_V, DEPTH)
        heard = receiver.audio().tone_v
        logs.append(math.log(FEEBLE_V * standard_v / heard) if heard > 0.0 else math.inf)
    receiver.lead, receiver.feed = before[0], before[1]
    if before[2]:
        receiver.dial.select(before[2])
        receiver.dial.point(before[3])
    return math.exp(sum(logs) / len(logs)) if logs else math.inf
