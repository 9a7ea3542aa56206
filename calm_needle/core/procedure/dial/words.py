"""The words of the dial: doubts, causes, repairs and figures as sentences."""

from collections.abc import Sequence

from calm_needle.core.physics.dial_causes import TOLD_WITHIN, Cause, Doubt
from calm_needle.core.physics.dial_fit import PAPERS, TYPICAL, Reading
from calm_needle.core.procedure.decision import Found
from calm_needle.core.procedure.dial.band import NOUNS, DialBand
from calm_needle.core.procedure.dial.cover import CoverShift
from calm_needle.core.procedure.kinds.receives import percent_off
from calm_needle.core.quantities import format_plain, format_si, format_signed

STOCK = (1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2)
LEAST_SHOWN_HZ = 0.5  # no dial is known so well
LESS, ROOM = 0.93, 2.0  # how much of the wanted value is fixed; how far the trimmer goes beyond what is missing


def hz(value: float) -> str:
    """Return an error as it is said: signed, three figures."""
    return format_si(value, unit="Hz", digits=3, signed=True)


def size(value_hz: float) -> str:
    """Return how large an error is, without its sign."""
    return format_si(abs(value_hz), unit="Hz", digits=3) if abs(value_hz) >= LEAST_SHOWN_HZ else "0\u2009Hz"


def mark(value_hz: float) -> str:
    """Return a frequency as a dial or a generator shows it."""
    return format_plain(value_hz, unit="Hz", digits=6)


def percent(*, error_hz: float, at_hz: float) -> str:
    """Return an error as a share of the mark, signed."""
    return percent_off(mark_hz=at_hz, receives_hz=at_hz + error_hz)


def error_words(band: DialBand, *, dial_hz: float, error_hz: float) -> str:
    """Return an error in hertz, per cent and millimetres of the scale."""
    said = (hz(error_hz), percent(error_hz=error_hz, at_hz=dial_hz), on_the_scale(band, dial_hz=dial_hz, error_hz=error_hz))
    return ", ".join(filter(None, said))


def on_the_scale(band: DialBand, *, dial_hz: float, error_hz: float) -> str:
    """Return an error as so many millimetres of the scale, signed; nothing where nobody has measured that scale."""
    return "" if band.band.scale_typical else f"{format_signed(band.error_mm(dial_hz=dial_hz, error_hz=error_hz))} mm"


def values_words(band: DialBand, borne_out: bool | None) -> str:
    """Return whose values this was worked out with, where they are not those of the set's own papers. borne_out: whether what was read once
    it had been turned bears them out; None before."""
    source = band.drawn.values_from
    if source == PAPERS:
        return ""
    if source == TYPICAL:
        then = ", so expect a second pair of moves" if borne_out is None else ""
        return f"Its oscillator is not in the papers: this is worked out with {source}{then}."
    said = {
        True: "what was read since bears them out",
        False: "what was read since does not bear them out",
        None: "not yet seen on this set",
    }
    return f"Worked out with values of {source}: {said[borne_out]}."


def doubt_words(band: DialBand, doubt: Doubt, readings: Sequence[Reading]) -> tuple[str, str]:
    """Return what does not fit, and what to do about it."""
    at = mark(readings[doubt.reading].dial_hz) if doubt.reading is not None else ""
    instead = mark(doubt.instead_hz) if doubt.instead_hz is not None else ""
    match doubt.kind:
        case "few":
            return "One mark is too few to say what is to be turned.", "Read two more, one near each end of the scale."
        case "mark":
            return (
                f"The reading at {at} does not fit the others.",
                f"It would, had the pointer stood at {instead}. Look where the pointer is, and read that mark again.",
            )
        case "station":
            return (
                f"The reading at {at} does not fit the others.",
                f"It would, had that been {instead}: {size(doubt.amount_hz)} beside, a neighbouring station. Make sure, and read it again.",
            )
        case "either":
            noun = NOUNS[doubt.part]
            return (
                f"The reading at {at} does not fit the others: another station, or the {noun}.",
                f"It would fit, had that been {instead}, {size(doubt.amount_hz)} beside; with the {noun} off, all would fit as well. Make "
                "sure of the station first, and read it again.",
            )
        case "image":
            return (
                f"The reading at {at} is an image’s.",
                f"The signal lies at {instead}, twice the intermediate frequency beside it. Read that.",
            )
        case "band":
            return (
                f"These are not readings of {band.band.name}.",
                f"They fit the band that begins at {instead}. Look at the band switch.",
            )
        case "intermediate frequency":
            return (
                f"It is out by {size(doubt.amount_hz)} at every mark alike: no adjuster of this band does that.",
                f"The strip would stand at {instead} instead of {mark(band.drawn.if_hz)}. Set that first, or the generator’s "
                "reference; then read the dial again.",
            )
    return (
        "The readings contradict each other.",
        f"No coil, trimmer, padder and gang make all of them; least the one at {at}. Look at pointer, band and generator, and read again.",
    )


def cover_words(band: DialBand, cover: CoverShift) -> str:
    """Return what a cover does, how often and how alike it was measured."""
    times = {1: "once", 2: "twice"}.get(cover.times, f"{cover.times} times")
    apart = f", {size(cover.apart_hz)} apart" if cover.times > 1 else ""
    return f"With {band.cover} on it receives {hz(cover.shift_hz)} beside, at {mark(cover.dial_hz)}; measured {times}{apart}."


def cause_words(band: DialBand, cause: Cause) -> Found:
    """Return the part that explains it, by how much, how surely, and what brings it in."""
    part = band.parts.get(cause.part, "")
    noun = f"{NOUNS[cause.part]}{f' {part}' if part else ''}"
    high = "more" if cause.off > 0 else "less"
    sentence = f"The {noun} has about {100.0 * abs(cause.off):.0f} % {high} than it is drawn for."
    surely = f"Its uncertainty (95 %) is {200.0 * cause.sigma:.1f} %."
    alone = (
        "No other part explains the readings as well."
        if cause.certain
        else "Another part, or what was turned, might explain it nearly as well: measure it before it is changed."
    )
    return Found(
        f"{band.band.name}: {noun}",
        sentence,
        f"{surely} {alone} {repair_words(band, cause)}".strip(),
        (part or cause.part) if cause.certain else None,
        cause.part,
    )


def untold_words(sigma: float | None) -> str:
    """Return that a padder cannot be judged by this dial, where it cannot. sigma: how surely it is known (standard deviation, a share)."""
    if sigma is None or sigma <= TOLD_WITHIN:
        return ""
    return f"Whether the padder is off by a tenth cannot be told by these readings; they give it to ±{200.0 * sigma:.0f} % (95 %)."


def between_words(*, error_hz: float, u95_hz: float, at_hz: float) -> str:
    """Return how far the dial is expected to be off at the worst anywhere along it, read or not."""
    return f"Worst anywhere on the scale: {size(error_hz)} ± {size(u95_hz)} (95 %), at {mark(at_hz)}."


def repair_words(band: DialBand, cause: Cause) -> str:
    """Return what brings a part in, with values."""
    padder_f = band.drawn.padder_f
    if cause.part == "padder" and padder_f is not None:
        if "padder" in band.adjusters:
            return (
                "Its adjuster can still bring it in, unless it is said to come to its end: see at the next alignment whether it drifts on."
            )
        if cause.off < 0:
            missing = format_si(-cause.off * padder_f, unit="F", digits=2)
            return f"Put {missing} across it, or fit a new one of {format_si(padder_f, unit='F', digits=3)}."
        return f"Fit a new one of {format_si(padder_f, unit='F', digits=3)}, or {trimmer_words(padder_f)}, and it can be set."
    if cause.part == "gang value":
        return "Was the gang changed? One of another value wants its own dial; compare its sections with the drawn ones."
    return "Measure its inductance against the drawn one: shorted turns have less."


def trimmer_words(wanted_f: float) -> str:
    """Return the fixed part and the trimmer that make a value adjustable."""
    fixed_f = stock_below(LESS * wanted_f)
    missing_f = wanted_f - fixed_f
    low, high = (format_si(v, unit="F", digits=2) for v in (0.25 * missing_f, ROOM * missing_f))
    return f"{format_si(fixed_f, unit='F', digits=2)} with a trimmer of {low} to {high} across it"


def stock_below(value: float) -> float:
    """Return the largest value of the twelve to a decade that is not above this one."""
    decade = 1e-12
    while decade * 10.0 <= value:
        decade *= 10.0
    return max((s * decade for s in STOCK if s * decade <= value * (1.0 + 1e-9)), default=decade)
