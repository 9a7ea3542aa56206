"""A gang's sections at several places of the shaft: as drawn or not, equal or not; what the dial does, and with a donor's."""

import sqlite3
from typing import NamedTuple

from calm_needle.clock import now_utc
from calm_needle.core.dossier.model import Model
from calm_needle.core.physics.gang_sections import Section, foretell, most_unequal, section_of
from calm_needle.core.pictures import Curves, Ink, Line
from calm_needle.core.procedure.dial.band import DialBand, dial_bands, travel_share
from calm_needle.core.procedure.dial.words import percent, size
from calm_needle.core.quantities import format_plain, format_si, parse_si
from calm_needle.core.verdict import Verdict
from calm_needle.errors import CalmNeedleError, FieldsRefused, NotFound
from calm_needle.store import gang_readings as store
from calm_needle.store.db import transaction
from calm_needle.store.gang_readings import GangRow
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.soundness.power import why_live

NOT_READ = ("-", "–", "−")
ALIKE_SHARE = 0.01  # within which two sections are alike, as a meter and leads go
UNEVEN_SHARE = 0.02  # beside a smooth law, from which on plates are bent
MOST_F, LEAST_F = 5e-9, 1e-12
FEWEST = 3
COLUMNS = ("oscillator’s section", "signal section", "donor’s oscillator section")
BLANK = Verdict("blank", "The gang was not read yet.", ("Three places of the shaft or more; the leads’ own capacitance taken off.",))


class GangView(NamedTuple):
    """What the page shows: what was made of it, sentence by sentence; the table; the sections against the drawn one."""

    verdict: Verdict
    band: str
    rows: list[tuple[str, ...]]
    curves: Curves | None
    bands: list[tuple[str, str]]  # on whose scale the pointer may be read: id, name


def view(conn: sqlite3.Connection, job_id: int, model: Model) -> GangView:
    """Return what the gang's sections came to when they were last read."""
    bands = dial_bands(model)
    choices = [(b.band.id, b.band.name) for b in bands.values()]
    rows = [r for r in store.newest(conn, job_id) if r.band in bands]
    if not rows:
        return GangView(BLANK, "", [], None, choices)
    band = bands[rows[0].band]
    return GangView(_verdict(bands, band, rows), band.band.name, [_shown(band, r) for r in rows], _curves(band, rows), choices)


def keep(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Keep readings, a line each: «600k 412p 409p 420p», pointer, oscillator's section, signal section, donor's; a dash for one not read.

    Raises NotFound, FieldsRefused with every line that cannot be read.
    """
    bands = dial_bands(model_of_dossier(conn, job_of(conn, job_id).dossier_id))
    band = bands.get(form.get("band", ""))
    if band is None:
        raise NotFound("band", form.get("band", "")[:30])
    live = why_live(conn, job_id)
    faults = [live] if live else []
    readings: list[tuple[float, float | None, float | None, float | None]] = []
    for number, line in enumerate((x for x in form.get("sections", "").splitlines() if x.strip()), start=1):
        try:
            readings.append(_read(band, line.replace(";", " ").split()))
        except (CalmNeedleError, ValueError) as fault:
            faults.append(f"Line {number}, “{line.strip()[:40]}”: {fault}")
    if not faults and len({r[0] for r in readings}) < FEWEST:
        faults.append("Read it at three places of the shaft or more, spread over the travel.")
    for k, name in enumerate(COLUMNS, start=1):
        if 0 < sum(r[k] is not None for r in readings) < FEWEST:
            faults.append(f"The {name} wants three places or more, or none.")
    if faults:
        raise FieldsRefused({"sections": " ".join(faults)})
    with transaction(conn):
        store.add_readings(conn, job_id=job_id, band=band.band.id, readings=readings, at_utc=now_utc(conn))


def _read(band: DialBand, words: list[str]) -> tuple[float, float | None, float | None, float | None]:
    if not 2 <= len(words) <= 4:
        raise ValueError("write the pointer and two or three sections, 600k 412p 409p; a dash for one that was not read.")
    dial_hz = parse_si(words[0], unit="Hz")
    low, high = band.drawn.marks_hz[0], band.drawn.marks_hz[-1]
    if not 0.98 * low <= dial_hz <= 1.02 * high:
        ends = " to ".join(format_plain(f, unit="Hz", digits=4) for f in (low, high))
        raise ValueError(f"the pointer goes from {ends} on {band.band.name}.")
    farads = [None if w in NOT_READ else parse_si(w, unit="F") for w in words[1:]]
    for f in farads:
        if f is not None and not LEAST_F <= f <= MOST_F:
            raise ValueError("a section has between 1 pF and 5 nF: write 412p.")
    first, second, third = (*farads, None, None)[:3]
    return dial_hz, first, second, third


def _of(rows: list[GangRow], which: int) -> list[tuple[float, float]]:
    """What was read of one section: 0 the oscillator's, 1 the signal's, 2 the donor's."""
    return [(r.dial_hz, f) for r in rows if (f := (r.oscillator_f, r.signal_f, r.donor_f)[which]) is not None]


def _verdict(bands: dict[str, DialBand], band: DialBand, rows: list[GangRow]) -> Verdict:
    said: list[str] = []
    bad = False
    own, signal, donor = (_of(rows, k) for k in range(3))
    old = section_of(band.drawn, own) if own else None
    if old:
        words, off = _against_drawn(band, old)
        said.append(words)
        bad |= off
    if own and signal:
        places = {at for at, _ in own} & {at for at, _ in signal}
        if len(places) >= FEWEST:
            words, off = _equal(band, [r for r in own if r[0] in places], [r for r in signal if r[0] in places])
            said.append(words)
            bad |= off
    if donor:
        new = section_of(band.drawn, donor)
        foretold = [_donor(b, new, old) for b in bands.values()]
        said += [words for words, _ in foretold]
        bad |= any(off for _, off in foretold)
    if not said:
        return Verdict("watch", "Only the signal section was read: read the oscillator’s beside it.")
    sentence = "Something of the gang is not as the dial wants it." if bad else "The gang is as the dial wants it."
    return Verdict("watch" if bad else "good", sentence, tuple(said))


def _against_drawn(band: DialBand, section: Section) -> tuple[str, bool]:
    found = foretell(band.drawn, section)
    if section.left > UNEVEN_SHARE:
        uneven = f"The oscillator’s section does not follow a smooth law, by up to {100.0 * section.left:.1f} %: look for bent plates."
        return uneven, True
    value = f"{100.0 * section.value:+.1f} %".replace("-", "−")
    shape = f"{100.0 * section.shape:+.1f} %".replace("-", "−")
    across = format_si(section.across_f, unit="F", digits=2)
    within, worst = _within(band, found.after_hz)
    return (
        f"The oscillator’s section is {value} in value and {shape} in shape off the drawn one, with {across} across it: on "
        f"{band.band.name} {worst} is left once its adjusters are set, {'inside' if within else 'beyond'} its tolerance.",
        not within,
    )


def _equal(band: DialBand, own: list[tuple[float, float]], signal: list[tuple[float, float]]) -> tuple[str, bool]:
    found = most_unequal(band.drawn, sorted(own), sorted(signal))
    if abs(found.share) <= ALIKE_SHARE:
        return f"Its sections agree to {100.0 * abs(found.share):.1f} %, as near as a meter tells.", False
    more = "more" if found.share > 0 else "less"
    at = format_plain(found.dial_hz, unit="Hz", digits=4)
    return (
        f"The signal section has {100.0 * abs(found.share):.1f} % {more} than the oscillator’s at {at}: its circuit stands "
        f"{size(found.shifts_hz)} {'above' if found.shifts_hz > 0 else 'below'} there, which a trimmer takes up at one place only.",
        True,
    )


def _donor(band: DialBand, new: Section, old: Section | None) -> tuple[str, bool]:
    """What the donor does to a band's dial; the gang itself is the same on every band, at other frequencies."""
    found = foretell(band.drawn, new, instead_of=old)
    within, worst = _within(band, found.after_hz)
    base = "the old one" if old else "the drawn one"
    return (
        f"{band.band.name[:1].upper()}{band.band.name[1:]} with the donor’s gang instead of {base}: off by up to "
        f"{size(found.worst_before_hz)} as it is put in; {worst} is left once the adjusters are set, "
        f"{'inside' if within else 'beyond'} its tolerance{'' if within else ': the dial would have to be drawn anew'}.",
        not within,
    )


def _within(band: DialBand, errors_hz: tuple[float, ...]) -> tuple[bool, str]:
    marks = band.drawn.marks_hz
    k = max(range(len(marks)), key=lambda i: abs(errors_hz[i]))
    within = all(abs(e) <= band.tolerance_percent / 100.0 * m for e, m in zip(errors_hz, marks, strict=True))
    return (
        within,
        f"{size(errors_hz[k])} ({percent(error_hz=errors_hz[k], at_hz=marks[k])} at {format_plain(marks[k], unit='Hz', digits=4)})",
    )


def _shown(band: DialBand, row: GangRow) -> tuple[str, ...]:
    sections = ("" if f is None else format_si(f, unit="F", digits=4) for f in (row.oscillator_f, row.signal_f, row.donor_f))
    return (format_plain(row.dial_hz, unit="Hz", digits=5), f"{100.0 * travel_share(band.band, row.dial_hz):.0f} %", *sections)


def _curves(band: DialBand, rows: list[GangRow]) -> Curves:
    """How far each section is off the drawn one over the travel, what lies across it taken off (%)."""
    lines = []
    inks: tuple[tuple[str, Ink], ...] = (("oscillator’s", "after"), ("signal", "before"), ("donor’s", "madder"))
    for k, (name, ink) in enumerate(inks):
        read = _of(rows, k)
        if not read:
            continue
        across_f = section_of(band.drawn, read).across_f
        gang_f = band.drawn.gang([at for at, _ in read]).gang_f
        points = [
            (100.0 * travel_share(band.band, at), 100.0 * ((f - across_f) / float(g) - 1.0))
            for (at, f), g in zip(read, gang_f, strict=True)
        ]
        lines.append(Line(name, sorted(points), ink, dots=True))
    return Curves("Sections of the gang, beside the drawn one, over the shaft’s travel", "%", "%", lines)
