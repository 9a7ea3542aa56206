"""How well a set keeps its image out, band by band: measured by the instruments, or typed as two levels of equal output."""

import math
import sqlite3
from typing import NamedTuple

from calm_needle.clock import now_utc
from calm_needle.core.dossier.model import Band, Model
from calm_needle.core.form import Ask, read_form
from calm_needle.core.physics.superhet import frequency_plan, image_ratio_db
from calm_needle.core.procedure.front_end.advice import USUAL_Q
from calm_needle.core.quantities import format_plain, format_si
from calm_needle.errors import CalmNeedleError, FieldsRefused, NotFound
from calm_needle.store import image_ratios as store
from calm_needle.store.db import transaction
from calm_needle.store.image_ratios import ImageRatioRow
from calm_needle.work.instruments import soundings
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.jobs.shelf import job_of, model_of_dossier
from calm_needle.work.slips import Slips
from calm_needle.work.soundness.bands import SENSIBLE_LEVEL_V, at_the_aerial, usual_coupling
from calm_needle.work.soundness.power import why_silent

POOR_DB = 12.0  # below what its circuits should do: they are not where they should be
TYPED = "typed"
ASKS = (Ask("signal", "Level at the signal", "V", "120u"), Ask("image", "Level at the image", "V", "9m"))


class ImageLine(NamedTuple):
    """A band's image: at which mark, where the image lies, the ratio as last measured and before, what is to be expected; words."""

    band: str
    name: str
    at: str
    image: str
    ratio: str
    before: str
    expected: str
    words: str
    poor: bool


def lines(conn: sqlite3.Connection, job_id: int, model: Model) -> list[ImageLine]:
    """Return every band that has an image, with what was measured of it."""
    measured = store.image_ratios(conn, job_id)
    return [_line(model, b, measured.get(b.id, [])) for b in model.bands if _place(b) is not None]


def measure(conn: sqlite3.Connection, job_id: int, meters: Meters) -> None:
    """Measure the image of every band, whole or not at all. Raises NotFound, FieldsRefused, InstrumentError."""
    model = model_of_dossier(conn, job_of(conn, job_id).dossier_id)
    if silent := why_silent(conn, job_id):
        raise FieldsRefused({"image": silent})
    if meters.practice is None:
        raise FieldsRefused({"image": "Nobody but you can switch and tune this set: type the two levels, band by band."})
    point, wanted_v = at_the_aerial(model)
    found = []
    for band in model.bands:
        place = _place(band)
        if place is not None:
            dial_hz, image_hz = place
            found.append((band, dial_hz, soundings.image(meters, band, dial_hz=dial_hz, image_hz=image_hz, point=point, wanted_v=wanted_v)))
    with transaction(conn):
        for band, dial_hz, image in found:
            store.add_image_ratio(
                conn,
                job_id=job_id,
                band=band.id,
                dial_hz=dial_hz,
                signal_v=image.signal_v,
                image_v=image.image_v,
                most_v=image.most_v,
                how=usual_coupling(model),
                at_utc=now_utc(conn),
            )


def type_in(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Keep two levels of equal output, at the signal and at its image. Raises NotFound, FieldsRefused with every fault."""
    model = model_of_dossier(conn, job_of(conn, job_id).dossier_id)
    band = next((b for b in model.bands if b.id == form.get("band") and _place(b) is not None), None)
    if band is None:
        raise NotFound("band", form.get("band", "")[:30])
    typed = read_form(ASKS, form)
    slips = Slips(form)
    faults = slips.faults
    faults |= typed.faults
    signal_v, image_v = typed.values.get("signal"), typed.values.get("image")
    for name, value in (("signal", signal_v), ("image", image_v)):
        if value == 0.0:
            faults[name] = "A level is above zero."
        elif isinstance(value, float):
            slips.within(name, value, sensible=SENSIBLE_LEVEL_V, unit="V")
    if not faults and isinstance(signal_v, float) and isinstance(image_v, float) and image_v < signal_v:
        faults["image"] = "The image came through better than the signal: then it was the image that was tuned in, or the two are swapped."
    slips.refuse()
    assert isinstance(signal_v, float) and isinstance(image_v, float)
    place = _place(band)
    assert place is not None
    with transaction(conn):
        store.add_image_ratio(
            conn,
            job_id=job_id,
            band=band.id,
            dial_hz=place[0],
            signal_v=signal_v,
            image_v=image_v,
            most_v=image_v,
            how=TYPED,
            at_utc=now_utc(conn),
        )


def _place(band: Band) -> tuple[float, float] | None:
    """The highest tracking point of a band, where its image is nearest in proportion, and that image (Hz); None where there is none."""
    dial_hz = max((float(t["dial_hz"]) for t in band.tracking), default=band.f_high_hz)
    try:
        image_hz = frequency_plan(dial_hz=dial_hz, if_hz=band.if_hz, side=band.side).image_hz
    except CalmNeedleError:
        return None
    return (dial_hz, image_hz) if image_hz > 0 else None


def _line(model: Model, band: Band, rows: list[ImageRatioRow]) -> ImageLine:
    place = _place(band)
    assert place is not None
    dial_hz, image_hz = place
    q, circuits = model.signal_circuits(band.id)
    should = image_ratio_db(f_hz=dial_hz, if_hz=band.if_hz, q=q or USUAL_Q, circuits=circuits, side=band.side)
    last = rows[-1] if rows else None
    poor = bool(last and last.image_v is not None and _db(last) < should - POOR_DB)
    words = ""
    if poor:
        words = "Worse than its circuits should do: they do not stand where the set receives, or the set is tuned to the image."
    elif last:
        words = "About what its circuits should do, or better."
    return ImageLine(
        band.id,
        band.name,
        format_plain(dial_hz, unit="Hz", digits=5),
        format_plain(image_hz, unit="Hz", digits=6),
        _shown(last) if last else "",
        _shown(rows[-2]) if len(rows) > 1 else "",
        f"{should:.0f} dB{'' if q else ' at a Q of 60'}",
        words,
        poor,
    )


def _db(row: ImageRatioRow) -> float:
    return 20.0 * math.log10((row.image_v or row.most_v) / row.signal_v)


def _shown(row: ImageRatioRow) -> str:
    image = format_si(row.image_v or row.most_v, unit="V", digits=3)
    levels = f"{format_si(row.signal_v, unit='V', digits=3)} and {image}"
    return f"{_db(row):.0f} dB ({levels})" if row.image_v else f"more than {_db(row):.0f} dB ({levels})"
