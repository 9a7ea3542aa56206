"""Where on the dial the oscillator runs, band by band.

Dead zones against shaft angle and against frequency tell a shorting gang from a tired oscillator:

    dies at the same angle on several bands, at frequencies octaves apart      the gang's oscillator section touches there
    dies beyond the same frequency, at whatever angle                          valve, feedback or what feeds it
    dies over the whole of one band while others live                         that band's coil, switch or trimmer
"""

import math
import statistics
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from calm_needle.core.quantities import format_db, format_plain
from calm_needle.core.verdict import Verdict

AGREE_SHARE = 0.09  # of the shaft's travel, within which edges of dead zones are one place
AGREE_RATIO = 1.3  # of frequency, likewise
FEEBLE = 0.3  # of a band's strongest
ALIVE_HZ = 1e3
UNLIKE_DB = 3.0  # by which an oscillator may differ between two modes


class Picked(NamedTuple):
    """One reading by a loose loop: band, dial (Hz), how far the shaft is from the scale's lower end (0..1), the oscillator (Hz, 0 where
    none runs) and how strong it is (V peak to peak)."""

    band: str
    dial_hz: float
    share: float
    oscillator_hz: float
    vpp: float

    @property
    def runs(self) -> bool:
        return self.oscillator_hz >= ALIVE_HZ


class DeadZone(NamedTuple):
    """A stretch of a band's dial in which nothing runs: between which places of the shaft, and the frequencies of its edges on the dial."""

    band: str
    from_share: float
    to_share: float
    from_hz: float
    to_hz: float
    whole: bool
    inside: bool = False  # alive on either side


def latest_of_each_band(sweeps: Sequence[Sequence[Picked]]) -> list[Picked]:
    """Return of several sweeps, the newest first, what was last read of each band: one that is typed band by band is one sweep a band."""
    out: dict[str, list[Picked]] = {}
    for sweep in sweeps:
        for band in dict.fromkeys(r.band for r in sweep):
            out.setdefault(band, [r for r in sweep if r.band == band])
    return [r for rows in out.values() for r in rows]


def dead_zones(readings: Sequence[Picked]) -> list[DeadZone]:
    """Return the stretches in which the oscillator does not run, an edge being half way to the next place where it does."""
    out: list[DeadZone] = []
    for band in dict.fromkeys(r.band for r in readings):
        own = sorted((r for r in readings if r.band == band), key=lambda r: r.share)
        i = 0
        while i < len(own):
            if own[i].runs:
                i += 1
                continue
            j = i
            while j + 1 < len(own) and not own[j + 1].runs:
                j += 1
            low, high = own[max(i - 1, 0)], own[min(j + 1, len(own) - 1)]
            share = (low.share + own[i].share) / 2.0, (own[j].share + high.share) / 2.0
            edges = (low.dial_hz * own[i].dial_hz) ** 0.5, (own[j].dial_hz * high.dial_hz) ** 0.5
            inside = i > 0 and j < len(own) - 1
            out.append(DeadZone(band, *share, *edges, whole=i == 0 and j == len(own) - 1, inside=inside))
            i = j + 1
    return out


def at_one_angle(readings: Sequence[Picked]) -> bool:
    """Whether several bands die at one angle of the shaft, at frequencies far apart: the gang's own oscillator section (J1)."""
    edges = [_edge(z) for z in dead_zones(readings) if not z.whole and not z.inside]
    shares, frequencies = [e[0] for e in edges], [e[1] for e in edges]
    return len(edges) > 1 and max(shares) - min(shares) <= AGREE_SHARE and max(frequencies) / min(frequencies) > AGREE_RATIO


def judge_coverage(readings: Sequence[Picked], *, names: Mapping[str, str]) -> Verdict:
    """Return what the dead zones say. names: of the bands by id."""
    if not readings:
        return Verdict("blank", "Not read yet.", ("A loose loop beside the oscillator, and every band is read in seconds.",))
    zones = dead_zones(readings)
    bands = list(dict.fromkeys(r.band for r in readings))
    partly = [z for z in zones if not z.whole and not z.inside]
    holes = [z for z in zones if z.inside]
    whole = [z for z in zones if z.whole]
    if not zones:
        feeble = _feeble(readings, names)
        return Verdict("good", "It runs over the whole of every band that was read.", tuple(feeble))
    if len(whole) == len(bands):
        return Verdict("stop", "The oscillator runs nowhere.", ("Its rails, its valve, and what feeds it come first.",))
    if whole and not partly:
        dead = " and ".join(names[z.band] for z in whole)
        return Verdict("stop", f"It runs on other bands and not on {dead}.", ("That band’s coil, its switch contacts or its trimmer.",))
    if holes and not partly:
        said = "; ".join(f"{names[z.band]} {_where(z)}" for z in holes)
        return Verdict(
            "stop",
            f"It is dead inside a band, and runs on either side: {said}.",
            ("Look for what resonates there, a coil of another band that is not shorted; and for plates that touch over that stretch.",),
        )
    if len(partly) == 1:
        return Verdict(
            "watch",
            f"On {names[partly[0].band]} it dies {_where(partly[0])}.",
            ("One band alone does not tell gang from valve: read another that has the same angle, and one with the same frequency.",),
        )
    at_edges = [_edge(z) for z in partly]
    shares, frequencies = [e[0] for e in at_edges], [e[1] for e in at_edges]
    said = "; ".join(f"{names[z.band]} {_where(z)}" for z in partly)
    said = said[:1].upper() + said[1:]
    if at_one_angle(readings):
        at = 100.0 * sum(shares) / len(shares)
        return Verdict(
            "stop",
            f"The gang: it dies at one shaft angle, {at:.0f} % of the travel, on {len(partly)} bands.",
            (
                f"{said}: frequencies far apart, so it is neither valve nor coil.",
                f"Meter stator to rotor of its oscillator section at {at:.0f} %.",
            ),
        )
    if max(frequencies) / min(frequencies) <= AGREE_RATIO:
        about = format_plain(sum(frequencies) / len(frequencies), unit="Hz", digits=2)
        return Verdict(
            "stop",
            f"The oscillator itself: it dies at about {about} on {len(partly)} bands, whatever the angle.",
            (f"{said}.", "Its valve, its feedback, or what feeds it."),
        )
    return Verdict(
        "watch", "It dies in several places that agree neither in angle nor in frequency.", (f"{said}.", "Several causes, or a switch.")
    )


def compare_modes(now: Sequence[Picked], then: Sequence[Picked], *, names: Mapping[str, str], how: tuple[str, str]) -> Verdict:
    """Return how two sweeps compare that were taken with the set in two ways, or at two times. how: what each was called, this one first.

    Compared at the same places of the dial, where both ran; in decibels of volts, by the median over a band.
    """
    this, that = (h or f"the sweep {w}" for h, w in zip(how, ("now", "before"), strict=True))
    said: list[str] = []
    silent: list[str] = []
    by_db: list[float] = []
    for band in dict.fromkeys(r.band for r in now):
        other = {r.dial_hz: r for r in then if r.band == band}
        pairs = [(r, other[r.dial_hz]) for r in now if r.band == band and r.dial_hz in other]
        ran = [20.0 * math.log10(a.vpp / b.vpp) for a, b in pairs if a.runs and b.runs and a.vpp > 0.0 and b.vpp > 0.0]
        name = f"{names[band][:1].upper()}{names[band][1:]}"
        one_only = [(a, b) for a, b in pairs if a.runs != b.runs]
        if one_only:
            where = format_plain(one_only[0][0].dial_hz, unit="Hz", digits=3)
            silent.append(f"{name}: at {where} it runs {f'with {this}' if one_only[0][0].runs else f'with {that}'} only.")
        if ran:
            db = statistics.median(ran)
            said.append(f"{name}: {format_db(db)} dB, {10.0 ** (db / 20.0):.2f} times.")
            by_db.append(db)
    if not said and not silent:
        return Verdict("blank", "Nothing was read at the same places in both.")
    if silent:
        return Verdict("stop", f"It runs in one and not in the other: {this} against {that}.", (*silent, *said))
    unlike = max(by_db, key=abs, default=0.0)
    if abs(unlike) > UNLIKE_DB:
        weaker = this if unlike < 0.0 else that
        why = "What the mode switches is where to look: its feedback, its coil, its contacts; and once with a good spare in its place."
        return Verdict("watch", f"Far weaker with {weaker}.", (*said, why))
    return Verdict("good", f"Alike: {this} and {that}.", tuple(said))


def _edge(zone: DeadZone) -> tuple[float, float]:
    """The inner edge of a dead zone, which is where it begins to run: share of the travel and frequency."""
    return (zone.to_share, zone.to_hz) if zone.from_share <= 1.0 - zone.to_share else (zone.from_share, zone.from_hz)


def _where(zone: DeadZone) -> str:
    if zone.inside:
        low, high = (format_plain(f, unit="Hz", digits=3) for f in sorted((zone.from_hz, zone.to_hz)))
        return f"between {low} and {high}"
    share, f_hz = _edge(zone)
    side = "below" if zone.from_share <= 1.0 - zone.to_share else "above"
    return f"{side} {format_plain(f_hz, unit='Hz', digits=3)} ({100.0 * share:.0f} % of the travel)"


def _feeble(readings: Sequence[Picked], names: Mapping[str, str]) -> list[str]:
    """Bands on which it is far weaker at one place than at its strongest."""
    out = []
    for band in dict.fromkeys(r.band for r in readings):
        own = [r for r in readings if r.band == band and r.vpp > 0.0]
        if own and (least := min(own, key=lambda r: r.vpp)).vpp < FEEBLE * max(r.vpp for r in own):
            out.append(f"Feeble on {names[band]} at {format_plain(least.dial_hz, unit='Hz', digits=3)}: watch it when the mains are low.")
    return out
