"""What readings of a dial say beside what is to be turned: which part is off, and what does not fit.

Each cause is tried as a change of one belief: a part that may be off by anything, a pointer that stood on the mark beside, a station
taken for its neighbour, an intermediate frequency that is not where it should be. What makes the readings far less strange is named,
with by how much; where two do so alike, it is not said which. Rare things need more: a cause counts only beyond RARE of chi-square.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal, NamedTuple

from calm_needle.core.physics.dial_fit import PAPERS, PARTS, SUSPECTED, TURNED, Drawn, Reading, fit
from calm_needle.errors import CalmNeedleError

DoubtKind = Literal["mark", "station", "band", "intermediate frequency", "contradiction", "few", "image", "either"]

# Shares by which a part must be off before it is accused: sound ones lie within 3 %, and what is read of one is not that sure.
OFF_BEYOND = {"coil": 0.07, "padder": 0.067, "gang value": 0.05}
TOLD_WITHIN = 0.019  # how surely (standard deviation, a share) a part must be known for one that is 10 % off to be found 19 times in 20
SURE = 3.5  # standard deviations, beyond which a part is accused
ALIKE = 3.0  # of chi-square, by which one cause must be better than the next
RARE, RARE_PART = 9.0, 6.0  # of chi-square, that a slip or a part must make readings less strange by
STRANGE_SIGMAS = 3.0  # by which chi-square lies above its mean where readings do not belong to such a set
CHANNELS_HZ = (9e3, 10e3)
SAME_SHARE, SAME_LEAST_HZ = 0.04, 1.5e3  # errors as much alike as that, and so large, are no adjuster's
FEWEST = 3


class Cause(NamedTuple):
    """A part that is off: by which share, good to sigma (a share); how much less strange the readings are for it.

    certain: no other part explains them alike.
    """

    part: str
    off: float
    sigma: float
    gain: float
    certain: bool


class Doubt(NamedTuple):
    """What does not fit: which reading, and what would (Hz; the mark, the station, the intermediate frequency). either: the part that would
    explain it as well."""

    kind: DoubtKind
    reading: int | None = None
    instead_hz: float | None = None
    amount_hz: float = 0.0
    part: str = ""


def cause_of(drawn: Drawn, readings: Sequence[Reading]) -> Cause | None:
    """Return the part that is off by more than such parts are, as it was found; None where none is, or it cannot be told. No part is
    accused of being off what are not its own papers' values."""
    if len(readings) < FEWEST or drawn.values_from != PAPERS:
        return None
    plain = fit(drawn, readings, believed=_unturned(drawn))
    found: list[Cause] = []
    for part in OFF_BEYOND:
        if part == "padder" and drawn.padder_f is None:
            continue
        wide = fit(drawn, readings, believed={**_unturned(drawn), part: SUSPECTED})
        k = wide.names.index((part, 0))
        off = math.expm1(float(wide.values[k])) if part in PARTS else float(wide.values[k])
        sigma = (1.0 + off) * math.sqrt(float(wide.covariance[k, k]))
        found.append(Cause(part, off, sigma, plain.cost - wide.cost, certain=False))
    ranked = sorted(found, key=lambda c: -c.gain)
    best = ranked[0]
    if abs(best.off) < OFF_BEYOND[best.part] or abs(best.off) < SURE * best.sigma or best.gain < RARE_PART:
        return None
    alone = len(ranked) < 2 or best.gain - ranked[1].gain > ALIKE
    return best._replace(certain=alone)


def padder_sigma(drawn: Drawn, readings: Sequence[Reading]) -> float | None:
    """Return how surely these readings tell the padder's value, were it under suspicion (standard deviation, a share); None without one."""
    if drawn.padder_f is None or not readings:
        return None
    found = fit(drawn, readings, believed={**_unturned(drawn), "padder": SUSPECTED})
    return found.sigma("padder") * math.exp(found.now["padder"])


def _unturned(drawn: Drawn) -> dict[str, float]:
    """Beliefs under which a part is suspected: what is turned was turned by somebody, but not far; a core may stand anywhere."""
    return {p: (TURNED[p] if p in ("coil", "trimmer") else drawn.believed[p]) for p in drawn.turnable}


def same_share(drawn: Drawn) -> float:
    """Return how much alike errors at all marks must be (a share of them) to be no adjuster's: what turns changes the ends of a band the
    more unlike, the wider it is."""
    low, high = (drawn.marks_hz[i] + drawn.side * drawn.if_hz for i in (0, -1))
    return SAME_SHARE * min(1.0, high / low - 1.0)


def doubts_about(
    drawn: Drawn,
    readings: Sequence[Reading],
    *,
    others: Sequence[Drawn] = (),
    strip_hz: float | None = None,
    through_strip: bool = True,
) -> list[Doubt]:
    """Return what does not fit about the readings of a band, the likeliest first; nothing where all fits. others: the set's other bands.
    strip_hz: where its strip was found to peak. through_strip: they were heard; what a counter reads off the oscillator knows of no strip.
    """
    if strip_hz is not None and abs(strip_hz - drawn.if_hz) > SAME_LEAST_HZ:
        return [Doubt("intermediate frequency", None, strip_hz, drawn.if_hz - strip_hz)]
    if len({r.dial_hz for r in readings}) < 2:
        return [Doubt("few")]
    other = _wrong_band(drawn, readings, others)
    if other is not None:
        return [Doubt("band", None, other)]
    errors = [r.error_hz for r in readings]
    mean = sum(errors) / len(errors)
    alike = len(errors) >= FEWEST and max(errors) - min(errors) < same_share(drawn) * abs(mean)
    if through_strip and alike and abs(mean) > SAME_LEAST_HZ:
        return [Doubt("intermediate frequency", None, drawn.if_hz - drawn.side * mean, mean)]
    cost, strange = _cost(drawn, readings), strange_from(len(readings))
    if cost < strange:
        return []
    parts = {part: _cost(drawn, readings, part) for part in OFF_BEYOND if part != "padder" or drawn.padder_f}
    likeliest = min(parts, key=lambda part: parts[part])
    slip_cost, slip = _one_wrong(drawn, readings, heard=through_strip)
    slipped = slip is not None and cost - slip_cost > RARE and slip_cost < strange
    spoilt = parts[likeliest] < strange
    if slipped and spoilt and slip is not None and abs(slip_cost - parts[likeliest]) < ALIKE:
        return [Doubt("either", slip.reading, slip.instead_hz, slip.amount_hz, likeliest)]
    if slipped and slip is not None and not (spoilt and parts[likeliest] < slip_cost):
        return [slip]
    return [] if spoilt else [Doubt("contradiction", _worst(drawn, readings))]


def strange_from(readings: int) -> float:
    """Return the chi-square of so many readings from which on they do not belong to such a set."""
    return readings + STRANGE_SIGMAS * math.sqrt(2.0 * readings)


def _one_wrong(drawn: Drawn, readings: Sequence[Reading], *, heard: bool) -> tuple[float, Doubt | None]:
    """The one reading that, taken otherwise, makes the others fit best, and how strange they are then: with the pointer on the mark beside;
    or, where it was heard, with its image or a station beside. What is counted is neither.
    """
    best: tuple[float, Doubt | None] = math.inf, None
    for i, r in enumerate(readings):
        below = max((m for m in drawn.marks_hz if m < r.dial_hz - 1.0), default=None)
        above = min((m for m in drawn.marks_hz if m > r.dial_hz + 1.0), default=None)
        tries = [(r._replace(dial_hz=f), Doubt("mark", i, f, r.error_hz)) for f in (below, above) if f]
        image_hz = r.receives_hz - 2.0 * drawn.side * drawn.if_hz
        if heard and image_hz > 0.0:
            tries.append((r._replace(receives_hz=image_hz), Doubt("image", i, image_hz, 2.0 * drawn.side * drawn.if_hz)))
        for step in CHANNELS_HZ if heard else ():
            for beside_hz in (r.receives_hz + step, r.receives_hz - step):
                tries.append((r._replace(receives_hz=beside_hz), Doubt("station", i, beside_hz, beside_hz - r.receives_hz)))
        for other, doubt in tries:
            now = _cost(drawn, [*readings[:i], other, *readings[i + 1 :]])
            if now < best[0]:
                best = now, doubt
    return best


def _cost(drawn: Drawn, readings: Sequence[Reading], suspected: str | None = None) -> float:
    try:
        return fit(drawn, readings, believed={suspected: SUSPECTED} if suspected else None).cost
    except CalmNeedleError:
        return math.inf


def _worst(drawn: Drawn, readings: Sequence[Reading]) -> int:
    """Which reading the others say is furthest out."""
    left = [_cost(drawn, [*readings[:i], *readings[i + 1 :]]) for i in range(len(readings))]
    return left.index(min(left))


def _wrong_band(drawn: Drawn, readings: Sequence[Reading], others: Sequence[Drawn]) -> float | None:
    """The lower end of another band that receives as was read with the pointer at the same places; None where this one does best."""
    own = max(abs(math.log(r.receives_hz / r.dial_hz)) for r in readings)
    low, high = drawn.marks_hz[0], drawn.marks_hz[-1]
    for band in others:
        first, last = band.marks_hz[0], band.marks_hz[-1]
        along = [math.log(r.dial_hz / low) / math.log(high / low) for r in readings]
        there = [first * (last / first) ** a for a in along]
        off = max(abs(math.log(r.receives_hz / f)) for r, f in zip(readings, there, strict=True))
        if own > 0.2 and off < own / 3.0:
            return first
    return None
