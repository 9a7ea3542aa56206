"""Frequency errors at several places: proportional, constant, or of one band; and which other frequency would tell."""

import math
from collections.abc import Sequence
from typing import Literal, NamedTuple

from calm_needle.core.quantities import format_db, format_si

Pattern = Literal["one point", "proportional", "constant", "of one band", "right", "neither", "cannot be told"]
BELIEVED = 3.0  # standard deviations
LEAST_HZ = 0.5


class Checked(NamedTuple):
    """One place: its band, nominal and measured (Hz), and how sure the reading is (standard deviation, Hz)."""

    band: str
    nominal_hz: float
    measured_hz: float
    sigma_hz: float

    @property
    def error_hz(self) -> float:
        return self.measured_hz - self.nominal_hz


class Found(NamedTuple):
    """What the errors have in common, in a sentence; by how much (ppm where proportional, Hz where constant); what to check next (Hz)."""

    pattern: Pattern
    sentence: str
    ppm: float | None = None
    shift_hz: float | None = None
    next_hz: float | None = None


def pattern_of(points: Sequence[Checked], *, reachable_hz: Sequence[float] = ()) -> Found:
    """Return what errors at N >= 1 places have in common. reachable_hz: frequencies that could be checked besides.

    Each law is fitted with its errors' weights and believed where no point is further from it than BELIEVED of its own sigma, and the other
    law is not believed too: then it cannot be told, and what each foretells elsewhere is said.
    """
    if not points:
        return Found("one point", "No frequency was checked yet.", next_hz=min(reachable_hz, default=None))
    if all(abs(p.error_hz) <= BELIEVED * max(p.sigma_hz, LEAST_HZ) for p in points) and len(points) > 1:
        return Found("right", f"Right at {len(points)} places, as far as the readings are sure.")
    if len({p.nominal_hz for p in points}) < 2:
        only = points[-1]
        told = _tells(only, reachable_hz)
        where = f" {format_si(told, unit='Hz')} would tell." if told else ""
        ppm = only.error_hz / only.nominal_hz * 1e6
        off = f"{format_si(only.error_hz, unit='Hz', signed=True)}, {format_db(ppm)}\u00a0ppm"
        said = f"{off} at one frequency, and accuracy is no matter of one."
        return Found("one point", said + where, ppm=ppm, shift_hz=only.error_hz, next_hz=told)
    ppm, worst_ppm = _fit(points, [p.nominal_hz for p in points])
    shift, worst_shift = _fit(points, [1.0 for _ in points])
    if worst_ppm <= BELIEVED and worst_shift <= BELIEVED:
        return _either(points, ppm, shift, reachable_hz)
    if worst_ppm <= BELIEVED:
        said = f"Proportional, {format_db(ppm * 1e6)}\u00a0ppm: the reference, or one oscillator that all others come from."
        return Found("proportional", said, ppm=ppm * 1e6)
    if worst_shift <= BELIEVED:
        return Found("constant", f"{format_si(shift, unit='Hz', signed=True)} everywhere: one fixed oscillator.", shift_hz=shift)
    for band in dict.fromkeys(p.band for p in points):
        others = [p for p in points if p.band != band]
        if len(others) > 1 and pattern_of(others).pattern in ("proportional", "constant", "right") and band:
            return Found("of one band", f"The others agree, {band} does not: that band’s own oscillator.")
    return Found("neither", "Neither proportional nor constant: read each again, and the reference beside it.")


def _either(points: Sequence[Checked], ppm: float, shift_hz: float, reachable_hz: Sequence[float]) -> Found:
    """Both laws explain what was read: what each foretells, and the frequency at which they are furthest apart."""
    said = f"Cannot be told: {format_db(ppm * 1e6)}\u00a0ppm in proportion, or {format_si(shift_hz, unit='Hz', signed=True)} everywhere."
    sigma_hz = math.sqrt(1.0 / sum(max(p.sigma_hz, LEAST_HZ / BELIEVED) ** -2 for p in points))
    apart = {f: abs(ppm * f - shift_hz) for f in reachable_hz}
    told = max(apart, key=apart.__getitem__, default=None)
    if told is None or apart[told] <= BELIEVED * math.hypot(max(p.sigma_hz for p in points), sigma_hz):
        return Found("cannot be told", f"{said} Read more surely, or further apart.", ppm=ppm * 1e6, shift_hz=shift_hz)
    foretold = f"{format_si(ppm * told, unit='Hz', signed=True)} or {format_si(shift_hz, unit='Hz', signed=True)}"
    where = f" {format_si(told, unit='Hz')} would tell: off by {foretold} there."
    return Found("cannot be told", said + where, ppm=ppm * 1e6, shift_hz=shift_hz, next_hz=told)


def _fit(points: Sequence[Checked], of: Sequence[float]) -> tuple[float, float]:
    """The factor by which errors go with something, and how far the worst point is from that, in its own standard deviations."""
    weights = [1.0 / max(p.sigma_hz, LEAST_HZ / BELIEVED) ** 2 for p in points]
    factor = sum(w * p.error_hz * x for w, p, x in zip(weights, points, of, strict=True)) / sum(
        w * x * x for w, x in zip(weights, of, strict=True)
    )
    worst = max(abs(p.error_hz - factor * x) * math.sqrt(w) for w, p, x in zip(weights, points, of, strict=True))
    return factor, worst


def _tells(only: Checked, reachable_hz: Sequence[float]) -> float | None:
    """The frequency at which the two laws are furthest apart, where that is more than the readings leave open."""
    best = max(reachable_hz, key=lambda f: abs(f / only.nominal_hz - 1.0), default=None)
    if best is None:
        return None
    apart = abs(only.error_hz) * abs(best / only.nominal_hz - 1.0)
    return best if apart > BELIEVED * only.sigma_hz * math.hypot(1.0, best / only.nominal_hz) else None
