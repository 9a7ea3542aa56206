"""Every band: alive and sensitive are two things, and the aerial coil of each is metered before money is spent.

A strong generator is heard on every band, so alive is not sensitive. Levels are compared only where coupling was the same. A set is
not called dead on the word of one source; a band that is silent off air may be closed at this hour.
"""

import math
from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

from calm_needle.core.quantities import format_si
from calm_needle.core.verdict import Verdict

Heard = Literal["alive", "dead"]
DAY_HOURS = (8, 17)
LOWEST_SHORT_WAVE_HZ, HIGH_SHORT_WAVE_HZ = 2e6, 12e6
NEIGHBOUR_DB = 10.0  # more than its neighbours need at equal coupling
BOOK_DB = 40.0  # more than the papers say: cores and trimmers left severely off, tuned in at their own peak, seldom lose so much
DUMMY_AERIAL = "dummy aerial"
OPEN_OHM = 1e3  # an aerial coil of more than this is open; the largest long-wave ones have some sixty ohms
OUT_OF_ORDER = 1.5  # times the next lower band's coil, which has more turns and so more ohms


class BandReadings(NamedTuple):
    """What is known of one band: heard off air and from a generator, level (V) for the same output and how it was coupled, coil (ohm).

    A level without end: none that the generator has gave that output.
    """

    band: str
    f_low_hz: float
    off_air: Heard | None
    generator: Heard | None
    level_v: float | None
    coupling: str
    coil_ohm: float | None
    book_v: float | None = None  # the level that the papers give for the standard output, and with which coupling
    book_coupling: str = DUMMY_AERIAL
    left_blank: str = ""  # why it is not measured; empty where nobody said
    oscillator: Heard | None = None  # whether the oscillator was seen to run on it
    noise_db: float | None = None  # by which a source in the room was above the set's own noise; None where none was


def at_this_hour(*, f_low_hz: float, hour: int) -> str:
    """Return what may be heard off air on a band at an hour (0..23, local), far from any town. A rule of thumb, and no more."""
    day = DAY_HOURS[0] <= hour < DAY_HOURS[1]
    if f_low_hz < LOWEST_SHORT_WAVE_HZ:
        return "by day near stations only; far ones come after dark" if day else "after dark: far stations should be there"
    if f_low_hz < HIGH_SHORT_WAVE_HZ:
        return "by day the lower part is quiet" if day else "after dark: the lower part should be alive, the upper closed"
    return "by day it may be open" if day else "after dark it is closed, whatever the set does"


def judge_bands(rows: Sequence[BandReadings]) -> dict[str, Verdict]:
    """Return a verdict for each band, N >= 1 in order of frequency or not."""
    ordered = sorted(rows, key=lambda r: r.f_low_hz)
    return {row.band: _judge(row, ordered, i) for i, row in enumerate(ordered)}


def judge_whole(rows: Sequence[BandReadings], verdicts: Mapping[str, Verdict], *, generator_proved: bool = False) -> Verdict:
    """Return whether every band has passed, or what to do next about all of them together.

    generator_proved: it was heard on a set known to be good.
    """
    heard = [r for r in rows if r.generator is not None]
    if heard and len(heard) == len(rows) and all(r.generator == "dead" for r in heard) and not any(r.off_air == "alive" for r in rows):
        said = "Dead on every band with one generator: try that generator on a set known to be good before this one is called dead."
        proved = "Dead on every band, and the generator was heard on another set: it is this one. Look for what all bands share."
        return Verdict("watch", proved if generator_proved else said)
    blank = [b for b, v in verdicts.items() if v.state == "blank"]
    left = f"Still blank: {', '.join(blank)}. Every band is heard, measured, and its aerial coil metered."
    # The worst first: what is blank hides nothing that was found.
    bad = [f"{b} ({v.sentence[:1].lower()}{v.sentence[1:].rstrip('.')})" for b, v in verdicts.items() if v.state == "stop"]
    if bad:
        return Verdict("watch", f"To be found before aligning: {', '.join(bad)}.", (left,) if blank else ())
    watch = [b for b, v in verdicts.items() if v.state == "watch"]
    if watch:
        return Verdict("watch", f"Look again at: {', '.join(watch)}.", (left,) if blank else ())
    if blank:
        return Verdict("watch", left)
    if all(judge_level(row, rows).state == "blank" for row in rows):
        return Verdict("good", "Every band is alive, and its aerial coil is whole. How sensitive it should be is not known.")
    return Verdict("good", "Every band is alive, about as sensitive as its neighbours, and its aerial coil is whole.")


def _judge(row: BandReadings, ordered: Sequence[BandReadings], i: int) -> Verdict:
    stop, watch = [], []
    if row.oscillator == "dead" and row.generator != "alive":
        stop.append("Its oscillator was not seen to run.")
    elif row.generator == "dead" and row.level_v is not None and math.isfinite(row.level_v):
        level = format_si(row.level_v, unit="V", digits=3)
        watch.append(f"Dead, it says, and {level} gave the standard output after that: one of the two is wrong. Hear it again.")
    elif row.generator == "dead":
        runs = " though its oscillator runs: look before the mixer" if row.oscillator == "alive" else ""
        stop.append(f"Dead from the generator{runs}.")
    elif row.off_air == "dead" and row.generator is None:
        watch.append("Silent off air, which may be the hour; try the generator.")
    if row.coil_ohm is not None:
        if row.coil_ohm > OPEN_OHM or math.isinf(row.coil_ohm):
            stop.append("Its aerial coil is open.")
        elif (lower := next((r for r in reversed(ordered[:i]) if r.coil_ohm is not None and r.coil_ohm <= OPEN_OHM), None)) and (
            row.coil_ohm > OUT_OF_ORDER * (lower.coil_ohm or 0.0)
        ):
            watch.append(
                f"Its coil has {format_si(row.coil_ohm, unit='Ω', digits=3)}, more than that of {lower.band}, "
                f"{format_si(lower.coil_ohm or 0.0, unit='Ω', digits=3)}: a poor joint, or another coil."
            )
    if row.level_v is not None and math.isinf(row.level_v):
        stop.append("No level of the generator gives the standard output: alive is not sensitive.")
    if row.noise_db is not None and row.level_v is not None:
        watch.append(f"Room noise is {row.noise_db:.0f} dB above the set’s own: off with it, and read the level again.")
    watch += _against_neighbours(row, ordered, i)
    watch += _against_book(row)
    if stop or watch:
        first, *others = (*stop, *watch)
        return Verdict("stop" if stop else "watch", first, tuple(others))
    missing = [
        words
        for words, known in (
            ("hear it from the generator", row.generator is not None),
            ("measure the level it needs", row.level_v is not None),
            ("meter its aerial coil", row.coil_ohm is not None),
        )
        if not known
    ]
    if missing and row.left_blank:
        return Verdict("watch", f"Left blank: {row.left_blank}.", (f"Not done: {', '.join(missing)}.",))
    if missing:
        return Verdict("blank", f"Still to do: {', '.join(missing)}; or say why not.")
    if judge_level(row, ordered).state == "blank":
        return Verdict("good", "Alive, coil whole. Its level has nothing to be compared with: no service data, no other band.")
    return Verdict("good", "Alive, as sensitive as its neighbours, coil whole.")


def judge_level(row: BandReadings, rows: Sequence[BandReadings]) -> Verdict:
    """Return what the level of one band says by itself, against its papers and its neighbours; blank where there is nothing to judge by."""
    if row.level_v is None:
        return Verdict("blank", "not measured")
    if math.isinf(row.level_v):
        return Verdict("stop", "no level of the generator gives the standard output")
    ordered = sorted(rows, key=lambda r: r.f_low_hz)
    said = [*_against_neighbours(row, ordered, ordered.index(row)), *_against_book(row)]
    if more := [words for words in said if words.startswith("It needs")]:
        return Verdict("stop", more[0])
    comparable = row.book_v is not None and row.coupling == row.book_coupling
    if comparable or any(r is not row and r.level_v and r.coupling == row.coupling for r in rows):
        return Verdict("good", "as sensitive as it should be")
    return Verdict("blank", "nothing to compare it with: service data or another band, coupled alike")


def _against_neighbours(row: BandReadings, ordered: Sequence[BandReadings], i: int) -> list[str]:
    """A band that needs far more than its neighbours; neighbours measured with another coupling are passed over.

    Where the papers give each its own sensitivity, a band is held to its neighbours by how far each is from its papers.
    """
    if row.level_v is None or math.isinf(row.level_v):
        return []
    beside = [r for r in (*ordered[max(0, i - 1) : i], *ordered[i + 1 : i + 2]) if r.level_v is not None and not math.isinf(r.level_v)]
    alike = [r for r in beside if r.coupling == row.coupling]
    if beside and not alike:
        return ["Its level cannot be compared: the neighbours were measured with another coupling."]
    if not alike:
        return []
    more_db = min(20.0 * math.log10(row.level_v / (r.level_v or row.level_v)) - _expected_db(row, r) for r in alike)
    return [f"It needs {more_db:.0f} dB more than its neighbours: alive is not sensitive."] if more_db >= NEIGHBOUR_DB else []


def _expected_db(row: BandReadings, other: BandReadings) -> float:
    """How much more the papers expect one band to need than another (dB); 0 where they do not say."""
    return 20.0 * math.log10(row.book_v / other.book_v) if row.book_v and other.book_v else 0.0


def _against_book(row: BandReadings) -> list[str]:
    """A band that needs far more than its papers say: the neighbours may be as deaf as it is."""
    if row.level_v is None or row.book_v is None or math.isinf(row.level_v) or row.coupling != row.book_coupling:
        return []
    more_db = 20.0 * math.log10(row.level_v / row.book_v)
    if more_db < BOOK_DB:
        return []
    said = f"It needs {more_db:.0f} dB more than the papers say: misalignment alone seldom takes so much."
    return [f"{said} Look for what every band goes through."]
