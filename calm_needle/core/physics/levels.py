"""Levels: e.m.f., terminated volts, decibels of several kinds, and the pads of a step attenuator."""

import math
from collections.abc import Sequence
from itertools import combinations
from typing import NamedTuple

from calm_needle.core.constants import MICROVOLT_V, REFERENCE_LOAD_W
from calm_needle.core.physics.resonance import require_positive
from calm_needle.core.quantities import format_si
from calm_needle.errors import NoAnswer, OutOfRange

MOST_PADS = 16


class Level(NamedTuple):
    """One level said five ways: matched load, p.d. across it, power into it."""

    emf_v: float
    pd_v: float
    dbm: float
    dbuv_emf: float
    dbuv_pd: float


class Pads(NamedTuple):
    """Which pads to throw, what they make together, and what is left for the generator."""

    thrown_db: list[float]
    total_db: float
    remainder_db: float


def level_from_emf(*, emf_v: float, r_ohm: float) -> Level:
    """Return a level in all five forms from its e.m.f. (V) and source resistance (ohm), into a matched load.

    Both above zero, else OutOfRange. Volts are r.m.s.; dBm is power in the load re 1 mW; dBµV re 1 µV, of e.m.f. or of p.d.
    """
    require_positive("emf_v", emf_v, "V")
    require_positive("r_ohm", r_ohm, "Ω")
    pd_v = emf_v / 2.0
    return Level(
        emf_v,
        pd_v,
        20.0 * math.log10(pd_v) - 10.0 * math.log10(r_ohm * REFERENCE_LOAD_W),
        20.0 * math.log10(emf_v / MICROVOLT_V),
        20.0 * math.log10(pd_v / MICROVOLT_V),
    )


def level(
    *,
    r_ohm: float,
    emf_v: float | None = None,
    pd_v: float | None = None,
    dbm: float | None = None,
    dbuv_emf: float | None = None,
    dbuv_pd: float | None = None,
) -> Level:
    """Return a level in all five forms from exactly one of them and the source resistance (ohm).

    Raises OutOfRange when none or several are given, or one is out of any bench's range (beyond ±300 dB).

    >>> level(emf_v=2e-6, r_ohm=50).pd_v
    1e-06
    """
    given = {"emf_v": emf_v, "pd_v": pd_v, "dbm": dbm, "dbuv_emf": dbuv_emf, "dbuv_pd": dbuv_pd}
    known = {name: value for name, value in given.items() if value is not None}
    if len(known) != 1:
        raise OutOfRange("the number of known levels", shown=str(len(known)), wanted="one of emf_v, pd_v, dbm, dbuv_emf, dbuv_pd")
    name, value = known.popitem()
    if name in ("dbm", "dbuv_emf", "dbuv_pd") and not abs(value) <= 300:
        raise OutOfRange(name, shown=format_si(value, unit="dB"), wanted="between −300 and 300")
    require_positive("r_ohm", r_ohm, "Ω")
    if name == "emf_v":
        return level_from_emf(emf_v=value, r_ohm=r_ohm)
    if name == "pd_v":
        require_positive("pd_v", value, "V")
        return level_from_emf(emf_v=2.0 * value, r_ohm=r_ohm)
    if name == "dbuv_emf":
        return level_from_emf(emf_v=MICROVOLT_V * 10.0 ** (value / 20.0), r_ohm=r_ohm)
    if name == "dbuv_pd":
        return level_from_emf(emf_v=2.0 * MICROVOLT_V * 10.0 ** (value / 20.0), r_ohm=r_ohm)
    return level_from_emf(emf_v=2.0 * math.sqrt(REFERENCE_LOAD_W * r_ohm) * 10.0 ** (value / 20.0), r_ohm=r_ohm)


def gain_db(*, from_v: float, to_v: float) -> float:
    """Return the change from one voltage to another (dB): 20 log10(to/from). Both above zero and across equal loads."""
    require_positive("from_v", from_v, "V")
    require_positive("to_v", to_v, "V")
    return 20.0 * math.log10(to_v) - 20.0 * math.log10(from_v)


class TrueLevel(NamedTuple):
    """Level at the set (V), attenuation (dB), power there into r_ohm (dBm), what must still go to the wanted level (dB)."""

    level_v: float
    total_db: float
    dbm: float
    shortfall_db: float
    verdict: str


def true_level(*, dial_v: float, multiplier: float, pads_db: Sequence[float], r_ohm: float, wanted_v: float, knee_v: float) -> TrueLevel:
    """Return what reaches the set from a generator's dial, its multiplier and the pads thrown; both ends matched to r_ohm.

    shortfall_db: by how much more it must be turned down to come to wanted_v; below zero, up. knee_v: where the gain control sets in.
    """
    total = math.fsum(pads_db)
    if not 0 <= total <= 1000:
        raise OutOfRange("pads_db", shown=format_si(total, unit="dB"), wanted="together between 0 and 1000 dB")
    volts = dial_v * multiplier * 10.0 ** (-total / 20.0)
    words = "above the knee: the gain control hides peaks" if volts > knee_v else "below the knee"
    return TrueLevel(volts, total, 10.0 * math.log10(volts**2 / r_ohm / REFERENCE_LOAD_W), 20.0 * math.log10(volts / wanted_v), words)


def throw_pads(*, pads_db: Sequence[float], loss_db: float) -> Pads:
    """Return which pads of a step attenuator to throw: the largest sum not above the wanted loss, with the fewest pads.

    pads_db: 1 to 16 floats above zero. loss_db: zero or more. Among equals the larger pads are taken.
    Raises OutOfRange for a pad or loss that cannot be, NoAnswer for more than 16 pads. All sums are tried: at most 65,536.

    >>> throw_pads(pads_db=[3, 6, 12, 20], loss_db=19)
    Pads(thrown_db=[6, 12], total_db=18, remainder_db=1)
    """
    if not pads_db:
        raise OutOfRange("pads_db", shown="an empty list", wanted="the loss of each pad there is")
    if len(pads_db) > MOST_PADS:
        raise NoAnswer(f"{len(pads_db)} pads are more than this works out; give at most {MOST_PADS}.")
    for pad in pads_db:
        if not (0 < pad <= 200):
            raise OutOfRange("pads_db", shown=format_si(pad, unit="dB"), wanted="above zero and at most 200 dB each")
    if not (0 <= loss_db <= 1000):
        raise OutOfRange("loss_db", shown=format_si(loss_db, unit="dB"), wanted="zero or more, at most 1000 dB")
    best: tuple[float, ...] = ()
    for count in range(1, len(pads_db) + 1):
        for chosen in combinations(sorted(pads_db, reverse=True), count):
            # A billionth of a decibel: 0.1 + 0.2 must not be kept out of 0.3.
            if sum(best) + 1e-9 < sum(chosen) <= loss_db + 1e-9:
                best = chosen
    total = sum(best)
    return Pads(sorted(best), total, max(0.0, loss_db - total) if isinstance(total, float) else loss_db - total)
