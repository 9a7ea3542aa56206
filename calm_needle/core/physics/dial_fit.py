"""A band's dial as it is: from where the set receives at a few marks to its oscillator's true parts.

    1/C = 1/C_pad + 1/(C_gang (1 + v + s u) + p + C_trim)        f_osc = 1 / (2 pi sqrt(L C))        receives f_osc ∓ f_IF
v, s: how far the gang is off in value and in shape; u goes from +1 at the scale's lower end to -1 at its upper, in the logarithm of the
gang's capacitance. p: what its plates do beside that line. Nobody knows their law, only that it is smooth: a Gaussian process of
PLATES_SHARE of the gang and PLATES_F, that forgets over PLATES_FORGET of u, by its MODES largest modes; so marks that were not read are
less sure. What the dossier says of the parts is believed as far as BELIEVED goes (least squares, Gauss-Newton, the beliefs as priors), so
three marks are enough for more unknowns, and where they do not tell parts apart the covariance says so. Readings before and after an
adjuster was turned count together: what nobody turned is the same in both. physics.md §3 of the design.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache, cached_property
from typing import TYPE_CHECKING, NamedTuple

from calm_needle.core.lazy import Lazy
from calm_needle.core.physics.dial import nominal_tank
from calm_needle.core.quantities import format_si
from calm_needle.errors import NoAnswer, OutOfRange

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Floats = NDArray[np.float64]
else:
    np = Lazy("numpy")

PartName = str  # coil, trimmer or padder
PARTS: tuple[PartName, ...] = ("coil", "trimmer", "padder")
PLATES_SHARE, PLATES_F, PLATES_FORGET = 2.2e-3, 0.22e-12, 0.5
MODES, MODE_PLACES = 6, 81
PLATES = tuple(f"plates {k + 1}" for k in range(MODES))
GANG = ("gang value", "gang shape", *PLATES)

# How far parts are off the dossier's where nobody turned them (standard deviation; the trimmer's as a share of its reach), and where
# somebody may have.
BELIEVED: Mapping[str, float] = {"coil": 0.02, "trimmer": 0.2, "padder": 0.02, "gang value": 0.007, "gang shape": 0.007}
TURNED: Mapping[str, float] = {"coil": 0.1, "trimmer": 0.8, "padder": 0.1}
SUSPECTED = 0.25  # and of a part that is under suspicion
# The same where the values are not this model's own papers': another maker's year of the same set, or what such bands usually have.
PAPERS, SISTER, WORKED_OUT, TYPICAL = "its papers", "a sister model’s papers", "what was worked out at the bench", "typical values"
BELIEFS: Mapping[str, Mapping[str, float]] = {
    PAPERS: BELIEVED,
    SISTER: {"coil": 0.05, "trimmer": 0.4, "padder": 0.05, "gang value": 0.02, "gang shape": 0.015},
    WORKED_OUT: {"coil": 0.05, "trimmer": 0.4, "padder": 0.05, "gang value": 0.02, "gang shape": 0.015},
    TYPICAL: {"coil": 0.1, "trimmer": 0.8, "padder": 0.12, "gang value": 0.03, "gang shape": 0.03},
}

# How far parts of the class can be turned about the value they are drawn with: coil and padder by a share; a trimmer by so much (F), a
# small one by that share of it.
CORE_REACH, PADDER_REACH = 0.12, 0.15
TRIMMER_REACH_F, TRIMMER_REACH_SHARE = 14e-12, 0.6

ROUNDS, ENOUGH, FARTHEST = 30, 1e-10, 0.3


def plate_modes(u: Floats) -> Floats:
    """Return the modes of a gang's plates at places u (-1..1): a row a place, a column a mode, of which each varies by about one."""
    places, modes = _modes()
    return np.column_stack([np.interp(u, places, mode) for mode in modes.T])


@cache
def _modes() -> tuple[Floats, Floats]:
    """The largest modes of a smooth process of unit size, at places: eigenvectors of its covariance."""
    places = np.linspace(-1.0, 1.0, MODE_PLACES)
    apart = (places[:, None] - places[None, :]) / PLATES_FORGET
    sizes, vectors = np.linalg.eigh(np.exp(-0.5 * apart**2))
    largest = np.argsort(sizes)[::-1][:MODES]
    return places, np.asarray(vectors[:, largest] * np.sqrt(sizes[largest]), dtype=np.float64)


class Limits(NamedTuple):
    """Between which values (in the units of Drawn.unit) an adjuster comes to stand."""

    low: float
    high: float


class GangAt(NamedTuple):
    """What the gang has where the pointer stands (F), how far towards its most, +1, or its least, -1, and what each mode of its plates
    adds there (F, a column a mode)."""

    gang_f: Floats
    u: Floats
    plates_f: Floats


class _Tank(NamedTuple):
    """An oscillator as it stands: its frequency (Hz), what lies across the gang, what the coil sees, and the padder (F)."""

    f_osc_hz: Floats
    across_f: Floats
    whole_f: Floats
    padder_f: Floats | float


@dataclass(frozen=True)
class Drawn:
    """A band as its dossier has it: printed marks (Hz, rising), intermediate frequency (Hz), the oscillator's side (+1 above, -1
    below), its tank (H, F, F or None), and which of its parts can be turned. Changes of coil and padder are in the logarithm
    (0.01: one per cent), a trimmer's are shares of its reach. values_from: whose values these are, as BELIEFS names it.
    """

    marks_hz: tuple[float, ...]
    if_hz: float
    side: int
    l_h: float
    trim_f: float
    padder_f: float | None
    turnable: tuple[PartName, ...]
    values_from: str = PAPERS

    @property
    def believed(self) -> Mapping[str, float]:
        """How surely its values are known (standard deviations) of what nobody turned."""
        return BELIEFS[self.values_from]

    @property
    def trimmer_reach_f(self) -> float:
        return min(TRIMMER_REACH_F, TRIMMER_REACH_SHARE * self.trim_f)

    def limits(self, part: PartName) -> Limits:
        """Return how far a part can be turned, about where it is drawn."""
        reach = {"coil": CORE_REACH, "trimmer": 1.0, "padder": PADDER_REACH}[part]
        return Limits(-reach, reach)

    def gang(self, dial_hz: Sequence[float] | Floats) -> GangAt:
        """Return what the gang has with the pointer at these frequencies: what the drawn oscillator needs to receive them."""
        at = np.asarray([*dial_hz, self.marks_hz[0], self.marks_hz[-1]], dtype=np.float64)
        tank = nominal_tank(dial_hz=list(at), if_hz=self.side * self.if_hz, l_osc_h=self.l_h, padder_f=self.padder_f)
        gang = tank.across_f - self.trim_f
        if float(gang.min()) <= 0.0:
            raise OutOfRange("trim_f", shown=format_si(self.trim_f, unit="F"), wanted="less than the tank has at the highest mark")
        low, high = float(gang[-2]), float(gang[-1])
        u = 2.0 * np.log(gang[:-2] / math.sqrt(low * high)) / math.log(low / high)
        return GangAt(gang[:-2], u, np.hypot(PLATES_SHARE * gang[:-2], PLATES_F)[:, None] * plate_modes(u))

    @cached_property
    def _at_marks(self) -> GangAt:
        return self.gang(self.marks_hz)

    def receives_hz(self, changes: Mapping[str, float | Floats], at: GangAt | None = None) -> Floats:
        """Return where the set receives (Hz) with the pointer at the marks, or elsewhere, its parts and gang changed by so much."""
        return np.asarray(self._tank(changes, at or self._at_marks).f_osc_hz - self.side * self.if_hz, dtype=np.float64)

    def slopes(self, changes: Mapping[str, float | Floats], names: Sequence[str], at: GangAt | None = None) -> Floats:
        """Return by how much that changes with each part (Hz per share): a row a mark, a column a part.

        f ~ (L C)^-1/2, so every change of the capacitance counts half, by its share of the whole.
        """
        at = at or self._at_marks
        tank = self._tank(changes, at)
        half = -0.5 * tank.f_osc_hz
        across = half * tank.whole_f / tank.across_f**2  # Hz per farad across the gang
        by_part: dict[str, Callable[[], Floats]] = {
            "coil": lambda: half,
            "trimmer": lambda: across * self.trimmer_reach_f,
            "padder": lambda: half * tank.whole_f / tank.padder_f,
            "gang value": lambda: across * at.gang_f,
            "gang shape": lambda: across * at.gang_f * at.u,
            **{name: lambda k=k: across * at.plates_f[:, k] for k, name in enumerate(PLATES)},  # type: ignore[misc]
        }
        return np.column_stack([by_part[name]() for name in names])

    def _tank(self, changes: Mapping[str, float | Floats], at: GangAt) -> _Tank:
        c = at.gang_f * (1.0 + changes.get("gang value", 0.0) + changes.get("gang shape", 0.0) * at.u)
        for k, name in enumerate(PLATES):
            if name in changes:
                c = c + changes[name] * at.plates_f[:, k]
        c = np.maximum(c + self.trim_f + changes.get("trimmer", 0.0) * self.trimmer_reach_f, 1e-15)
        padder_f = np.inf if self.padder_f is None else self.padder_f * np.exp(changes.get("padder", 0.0))
        whole = c if self.padder_f is None else 1.0 / (1.0 / c + 1.0 / padder_f)
        f_osc = 1.0 / (2.0 * math.pi * np.sqrt(self.l_h * np.exp(changes.get("coil", 0.0)) * whole))
        return _Tank(f_osc, c, whole, padder_f)


class Reading(NamedTuple):
    """With the pointer at dial_hz the set received receives_hz (Hz, good to sigma_hz). turned: how often each adjuster had been turned
    by then, so that it is known what stood as before.
    """

    dial_hz: float
    receives_hz: float
    sigma_hz: float
    turned: Mapping[str, int] = {}

    @property
    def error_hz(self) -> float:
        return self.receives_hz - self.dial_hz


@dataclass(frozen=True)
class Fit:
    """What readings make of a band. names: of the unknowns, each with how often it had been turned; changes and covariance in that order
    (shares); misses: what is left of each reading, in its sigmas. cost: the sum of their squares and of those of the beliefs: how strange
    the readings are, a chi-square of as many degrees as there are readings.
    """

    drawn: Drawn
    names: tuple[tuple[str, int], ...]
    values: Floats
    covariance: Floats
    misses: Floats
    last: Mapping[str, int]
    cost: float = 0.0

    @property
    def now(self) -> dict[str, float]:
        """How far each part is off the dossier's as it stands now."""
        return {name: float(v) for (name, n), v in zip(self.names, self.values, strict=True) if self._stands(name, n)}

    def sigma(self, part: str) -> float:
        """Return how surely a part is known as it stands now (standard deviation, a share)."""
        k = next(i for i, (name, n) in enumerate(self.names) if name == part and self._stands(name, n))
        return math.sqrt(float(self.covariance[k, k]))

    def errors_hz(self, changes: Mapping[str, float] | None = None) -> Floats:
        """Return the error at each mark (Hz): as it stands, or with some parts brought to other values."""
        receives_hz = self.drawn.receives_hz({**self.now, **(changes or {})})
        return np.asarray(receives_hz - np.asarray(self.drawn.marks_hz), dtype=np.float64)

    def sigmas_hz(self, dial_hz: Sequence[float] | Floats | None = None) -> Floats:
        """Return how surely the error at each mark, or at other places of the scale, is known as it stands (Hz, standard deviation)."""
        keep = [i for i, (name, n) in enumerate(self.names) if self._stands(name, n)]
        at = None if dial_hz is None else self.drawn.gang(dial_hz)
        j = self.drawn.slopes(self.now, [self.names[i][0] for i in keep], at)
        return np.asarray(np.sqrt(np.einsum("ij,jk,ik->i", j, self.covariance[np.ix_(keep, keep)], j)), dtype=np.float64)

    def _stands(self, name: str, n: int) -> bool:
        return n == self.last.get(name, 0)


def fit(drawn: Drawn, readings: Sequence[Reading], *, believed: Mapping[str, float] | None = None) -> Fit:
    """Return what N >= 1 readings make of a band. believed: standard deviations that stand for those of BELIEVED
    and TURNED, of parts as they were found.

    Raises NoAnswer for readings that no parts near the dossier's could make.
    """
    last: dict[str, int] = {p: max((r.turned.get(p, 0) for r in readings), default=0) for p in drawn.turnable}
    names: list[tuple[str, int]] = []
    sigmas: list[float] = []
    for part in PARTS:
        if part == "padder" and drawn.padder_f is None:
            continue
        for n in range(last.get(part, 0) + 1):
            names.append((part, n))
            usual = TURNED if part in drawn.turnable else drawn.believed
            sigmas.append(max(usual[part], drawn.believed[part]) if n else {**usual, **(believed or {})}[part])
    for name in GANG:
        names.append((name, 0))
        sigmas.append({**drawn.believed, **(believed or {})}.get(name, 1.0))  # modes of the plates are drawn to their own size
    heads = [name for name, n in names if n == 0]
    own = np.array([[names.index((name, r.turned.get(name, 0) if name in last else 0)) for name in heads] for r in readings])
    at, heard = drawn.gang([r.dial_hz for r in readings]), np.array([r.receives_hz for r in readings])
    x, weights, prior = np.zeros(len(names)), np.array([1.0 / r.sigma_hz for r in readings]), np.array([1.0 / s for s in sigmas])
    for _ in range(ROUNDS):
        changes = {name: x[own[:, k]] for k, name in enumerate(heads)}
        left = heard - drawn.receives_hz(changes, at)
        rows = np.zeros((len(readings), len(names)))
        np.put_along_axis(rows, own, drawn.slopes(changes, heads, at), axis=1)
        a = np.vstack([rows * weights[:, None], np.diag(prior)])
        step = np.linalg.lstsq(a, np.concatenate([left * weights, -x * prior]), rcond=None)[0]
        x = x + np.clip(step, -FARTHEST, FARTHEST)
        if float(np.abs(step).max()) < ENOUGH:
            break
    if not np.all(np.isfinite(x)) or float(np.abs(step).max()) > 1e-3:
        raise NoAnswer(
            "readings: no coil, trimmer and padder near the dossier’s make such errors. Is it the right band, and not the image?"
        )
    misses = (heard - drawn.receives_hz({name: x[own[:, k]] for k, name in enumerate(heads)}, at)) * weights
    cost = float(misses @ misses + (x * prior) @ (x * prior))
    return Fit(drawn, tuple(names), x, np.linalg.inv(a.T @ a), misses, last, cost)


def known(drawn: Drawn, changes: Mapping[str, float]) -> Fit:
    """Return a band whose parts are known to be so far off the dossier's, as a fit in which nothing is left open."""
    names = tuple((name, 0) for name in (*(p for p in PARTS if p != "padder" or drawn.padder_f is not None), *GANG))
    values = np.array([changes.get(name, 0.0) for name, _ in names])
    return Fit(drawn, names, values, np.zeros((len(names), len(names))), np.zeros(0), {})
