"""The chassis map of a job's set: adjusters marked where they were found, over the drawn outline or a photograph."""

import sqlite3
from dataclasses import dataclass
from typing import cast

from calm_needle.clock import now_utc
from calm_needle.core.dossier.amend import roles
from calm_needle.core.dossier.chassis_map import KINDS, Count, Mark, count_sentence, counts, label_place, neighbours, too_near
from calm_needle.core.dossier.model import Model, Side
from calm_needle.core.quantities import parse_si
from calm_needle.errors import FieldsRefused, NotUnderstood
from calm_needle.store import map_marks, photographs
from calm_needle.store.db import transaction
from calm_needle.store.photographs import PhotographRow
from calm_needle.store.shelf import JobRow
from calm_needle.work.jobs import entries, own_dossier
from calm_needle.work.jobs.places import marks_of
from calm_needle.work.jobs.shelf import job_of, model_of_dossier

LONGEST_LABEL, LONGEST_REMARKS = 30, 200


@dataclass(frozen=True)
class MapView:
    """The map of a set as the page shows it."""

    job: JobRow
    model: Model
    marks: list[Mark]
    beside: dict[str, list[str]]
    label_places: dict[str, str]
    counts: list[Count]
    sentence: str
    labels: list[tuple[str, str]]  # of the papers: id and name, those not yet found first
    photographs: list[PhotographRow]
    roles: list[str]  # what an adjuster that no paper lists may turn out to do
    kinds: tuple[str, ...] = KINDS


def view(conn: sqlite3.Connection, job_id: int) -> MapView:
    """Return the map of a job's set. Raises NotFound."""
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    marks = marks_of(conn, job.set_id)
    found = {m.label for m in marks}
    labels = sorted(((a.id, a.name) for a in model.adjusters), key=lambda pair: pair[0] in found)
    return MapView(
        job,
        model,
        marks,
        {m.label: neighbours(m.label, marks) for m in marks},
        {m.label: label_place(m, marks) for m in marks},
        counts(model, marks),
        count_sentence(model, marks, entries.moved(conn, job_id)),
        labels,
        photographs.photographs_of_job(conn, job_id),
        [r.words for r in roles(model.raw)],
    )


def mark(conn: sqlite3.Connection, job_id: int, form: dict[str, str]) -> None:
    """Keep where something was found (label or own label, kind, side, x_mm, y_mm, remarks); an adjuster that no paper lists goes into the
    set's own dossier once it is said what it does (role). Raises NotFound, FieldsRefused.
    """
    job = job_of(conn, job_id)
    model = model_of_dossier(conn, job.dossier_id)
    own = form.get("own", "").strip()[:LONGEST_LABEL]
    label = own or form.get("label", "")
    known = {a.id: a for a in model.adjusters}
    kind = known[label].kind if label in known else form.get("kind", "")
    faults = {}
    if not label:
        faults["label"] = "Choose what it is, or coin a label of your own where nothing is marked."
    if kind not in KINDS:
        faults["kind"] = f"Choose one: {', '.join(KINDS)}."
    if form.get("side") not in ("above", "below"):
        faults["side"] = "Choose the side of the chassis."
    place = {}
    for name, longest in (("x_mm", model.chassis_width_mm), ("y_mm", model.chassis_depth_mm)):
        try:
            place[name] = parse_si(form.get(name, ""), unit="")
            if not 0.0 <= place[name] <= longest:
                faults[name] = f"From 0 to {longest:.0f} mm: the chassis ends there."
        except NotUnderstood:
            faults[name] = "Point at the place on the map, or type millimetres from the left and from the back."
    if not faults:
        new = Mark(label, kind, cast(Side, form["side"]), place["x_mm"], place["y_mm"], form.get("remarks", "").strip()[:LONGEST_REMARKS])
        if other := too_near(new, marks_of(conn, job.set_id)):
            faults["x_mm"] = f"{other} is at that very place. Move this one, or take {other} off the map."
    if faults:
        raise FieldsRefused(faults)
    with transaction(conn):
        if own and label not in known and (role := form.get("role", "")):
            own_dossier.add_adjuster(conn, job, label=label, kind=kind, side=form["side"], at_mm=(place["x_mm"], place["y_mm"]), role=role)
        _keep(conn, job, new)


def take_off(conn: sqlite3.Connection, job_id: int, label: str) -> None:
    """Take something off the map again. Raises NotFound, FieldsRefused."""
    job = job_of(conn, job_id)
    for old in marks_of(conn, job.set_id):
        if old.label == label:
            map_marks.add_mark(
                conn, set_id=job.set_id, label=label, kind=old.kind, side=old.side, x_mm=None, y_mm=None, remarks="", at_utc=now_utc(conn)
            )
            return
    raise FieldsRefused({"label": f"{label[:LONGEST_LABEL]} is not on the map."})


def _keep(conn: sqlite3.Connection, job: JobRow, new: Mark) -> None:
    map_marks.add_mark(conn, set_id=job.set_id, **new._asdict(), at_utc=now_utc(conn))
