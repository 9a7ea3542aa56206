"""The calculators: grouped by when they are needed; each with its picture, live as one types."""

import json
import math
from itertools import pairwise
from typing import Any

from flask import Blueprint, Response, make_response, redirect, render_template, request, url_for

from calm_needle.core.physics.sine_fit import Recording
from calm_needle.core.reckon import answers as calculators
from calm_needle.core.reckon.calculator import GROUPS
from calm_needle.errors import CalmNeedleError, FieldsRefused, FileRefused
from calm_needle.files.svg_picture import draw
from calm_needle.files.traces import Trace, read_trace, write_csv, write_touchstone
from calm_needle.files.wav import parse_wav
from calm_needle.web.asking import workshop
from calm_needle.work import reckoning as work

screen = Blueprint("reckon", __name__, url_prefix="/reckon")
MOST_MEASURED = 2001  # points of a measured response that a page carries along
LARGEST_MEASURED = 1e15  # Hz or dB: beyond it nothing was measured


@screen.get("")
def index() -> str:
    groups = [(g, [c for c in calculators.CALCULATORS.values() if c.group == g]) for g in GROUPS]
    return render_template("reckon/index.html", groups=groups)


@screen.get("/<name>")
def page(name: str) -> str:
    calculator = calculators.find(name)
    source = request.args.get("from", "")
    with workshop().store() as conn:
        filled = work.filled_in(conn, calculator, source)
    typed = {k.name: request.args.get(k.name, filled[k.name].text if k.name in filled else k.example) for k in calculator.keys}
    if source and name == "resonance" and "f_hz" in filled:
        typed["l_h"] = ""
    return _render(name, typed=typed, source=source, filled=filled)


@screen.post("/<name>")
def answer(name: str) -> str:
    """Answer what was typed: the whole page for a form, the part that changes for the page's script."""
    typed, trace = _typed(name), _measured()
    recording, refused = _recording(name)
    if request.headers.get("X-Part") == "answer":
        found = work.reckon(name, typed, recording=recording, measured=trace)
        found.faults |= refused
        return render_template("reckon/_answer.html", **_view(name, found))
    file = request.files.get("file")
    if file is not None and file.filename and name == "coupled-pair":
        return _fitted(name, typed, file.read(), file.filename)
    said = refused.get("file", "")
    return _render(name, typed=typed, source=request.form.get("from", ""), recording=recording, measured=trace, refused=said)


@screen.post("/<name>/keep")
def keep(name: str) -> Response:
    typed, source = _typed(name), request.form.get("from", "")
    with workshop().store() as conn:
        try:
            recording, _ = _recording(name)
            kind = request.form.get("kind", "")
            job_id = work.keep(conn, source=source, name=name, typed=typed, kind=kind, recording=recording)
        except FieldsRefused as fault:
            return make_response(_render(name, typed=typed, source=source, refused=str(fault)), 422)
    return make_response(redirect(url_for("job.page", job_id=job_id, _anchor="reckoned"), 303))


@screen.post("/coupled-pair/export")
def export() -> Response:
    """Hand out the response on the page, measured if there is one, otherwise the pair's own, as a file."""
    trace = _measured()
    if trace is None:
        found = work.reckon("coupled-pair", _typed("coupled-pair"))
        if found.picture is None:
            raise FieldsRefused(found.faults or {"answer": found.fault or "There is no response yet to save."})
        points = found.picture.lines[0].points  # type: ignore[union-attr]
        trace = Trace([f for f, _ in points], [v for _, v in points])
    kind = request.form.get("as", "csv")
    if kind in ("s1p", "s2p"):
        return _file(write_touchstone(trace, ports=int(kind[1])), "text/plain", f"response.{kind}")
    return _file(write_csv(trace), "text/csv", "response.csv")


@screen.post("/<name>/picture.svg")
def picture(name: str) -> Response:
    found = work.reckon(name, _typed(name), measured=_measured())
    if found.picture is None:
        raise FieldsRefused(found.faults or {"answer": found.fault or "There is no picture yet to save."})
    return _file(draw(found.picture, standalone=True), "image/svg+xml", f"{name}.svg")


def _file(text: str, mimetype: str, filename: str) -> Response:
    return Response(text, mimetype=mimetype, headers={"Content-Disposition": f'attachment; filename="{filename}"'})


def _fitted(name: str, typed: dict[str, str], content: bytes, filename: str) -> str:
    source = request.form.get("from", "")
    try:
        trace = read_trace(content, name=filename[:80])
        fit = work.fit_of(trace)
    except FileRefused as fault:
        return _render(name, typed=typed, source=source, trace_faults=fault)
    except CalmNeedleError as fault:
        return _render(name, typed=typed, source=source, refused=str(fault))
    step = max(1, len(trace.frequencies_hz) // MOST_MEASURED + 1) if len(trace.frequencies_hz) > MOST_MEASURED else 1
    measured = Trace(trace.frequencies_hz[::step], trace.levels_db[::step])
    said = (
        f"{filename[:80]}: {len(trace.frequencies_hz)} points; the pair below fits them within {fit.residual_db:.2f} dB r.m.s. "
        "With both Q alike, detuning and coupling look the same: f1, f2 and κ then stand for each other."
    )
    return _render(name, typed={**typed, **work.fields_of_fit(fit)}, source=source, measured=measured, said=said)


def _typed(name: str) -> dict[str, str]:
    return {k.name: request.form.get(k.name, "") for k in calculators.find(name).keys}


def _recording(name: str) -> tuple[Recording | None, dict[str, str]]:
    """The recording that came with the form, or why it cannot be used, for its field."""
    file = request.files.get("file")
    if file is None or not file.filename or name != "sinad":
        return None, {}
    try:
        return parse_wav(file.read(), name=file.filename[:80]), {}
    except FileRefused as fault:
        return None, {"file": f"{fault.name} {fault.faults[0].sentence}."}


def _measured() -> Trace | None:
    """The measured response that a page carries along; nothing for what is none."""
    try:
        points = json.loads(request.form.get("trace", "") or "null")
        trace = Trace([float(f) for f, _ in points], [float(v) for _, v in points])
    except (ValueError, TypeError, OverflowError, RecursionError):
        return None
    f, v = trace
    finite = all(math.isfinite(x) and abs(x) < LARGEST_MEASURED for x in (*f, *v))
    return trace if finite and 3 <= len(f) <= MOST_MEASURED and f[0] > 0 and all(a < b for a, b in pairwise(f)) else None


def _view(name: str, found: work.Reckoned) -> dict[str, Any]:
    return {
        "calculator": calculators.find(name),
        "found": found,
        "drawn": draw(found.picture) if found.picture is not None else "",
    }


def _render(
    name: str,
    *,
    typed: dict[str, str],
    source: str,
    filled: dict[str, work.Filled] | None = None,
    recording: Recording | None = None,
    measured: Trace | None = None,
    **more: Any,
) -> str:
    found = work.reckon(name, typed, recording=recording, measured=measured)
    with workshop().store() as conn:
        known = work.sources(conn)
    carried = json.dumps([[round(f, 3), round(v, 4)] for f, v in zip(*measured, strict=True)]) if measured else ""
    defaults = {"refused": "", "trace_faults": None, "said": ""}
    return render_template(
        "reckon/page.html",
        **{**defaults, **more, **_view(name, found)},
        typed=typed,
        source=source,
        sources=known,
        filled=filled or {},
        trace=carried,
        file_name=recording.name if recording else "",
    )
