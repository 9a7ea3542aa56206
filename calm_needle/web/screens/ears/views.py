"""The ears: the audio input as an instrument. The page listens and sends; what was heard is judged here."""

from flask import Blueprint, Response, jsonify, make_response, redirect, render_template, request, url_for

from calm_needle.errors import OutOfRange
from calm_needle.web.acting import act
from calm_needle.web.asking import typed_form, whole, workshop
from calm_needle.work.instruments import hearing
from calm_needle.work.jobs import recordings
from calm_needle.work.jobs.carriers import known_carriers

screen = Blueprint("ears", __name__, url_prefix="/ears")


@screen.get("")
def page() -> str:
    return _render()


@screen.post("/samples")
def samples() -> Response:
    """A block of 16-bit samples, little-endian, one channel; what is known of the sound comes back."""
    said = request.args
    heard = hearing.take(
        workshop().equipment.ears,
        request.get_data(cache=False),
        label=said.get("label", ""),
        rate_hz=_number("rate"),
        number=whole(said.get("number")),
        processed=said.get("processed", ""),
        page=said.get("page", ""),
        tone_hz=_number("tone") if said.get("tone") else None,
    )
    return jsonify(heard)


@screen.post("/loudspeaker")
def loudspeaker() -> Response:
    """The next samples at the practice set's loudspeaker, in volts, four bytes each."""
    said = request.args
    volts = hearing.loudspeaker(workshop().equipment, samples=whole(said.get("samples")), rate_hz=_number("rate"))
    return Response(volts, mimetype="application/octet-stream")


@screen.post("/led")
def led() -> Response:
    """Be led by ear at the bench, or no longer."""
    hearing.be_led(workshop().live, on=request.form.get("led") == "on")
    return make_response(redirect(url_for("ears.page", _anchor="led"), 303))


@screen.post("/count")
def count() -> Response:
    """The pitch of the beat that is heard now."""
    counted = hearing.count(workshop().equipment.ears)
    return jsonify(pitch=repr(counted.pitch_hz), sure=repr(counted.sure_hz), words=counted.words)


@screen.post("/side")
def side() -> Response:
    """On which side of a known carrier it runs, by the pitch after it was raised a little; and what goes into the register of it."""
    sided = hearing.against_carrier(workshop().equipment.ears, typed_form(), clock=workshop().clock)
    return jsonify(words=sided.words, check=sided.check)


@screen.post("/keep")
def keep() -> Response:
    """Keep the last seconds that were heard with a job."""
    ears = workshop().equipment.ears
    return act(
        lambda conn: recordings.keep_heard(conn, ears, typed_form()),
        then=lambda job_id: url_for("ears.page", kept=job_id, _anchor="keep"),
        again=_render,
    )


@screen.post("/volts")
def volts() -> Response:
    """What a voltmeter shows of what is heard now."""
    ears = workshop().equipment.ears
    return act(
        lambda conn: hearing.compare(conn, ears, typed_form()),
        then=lambda _: url_for("ears.page", _anchor="volts"),
        again=_render,
    )


def _number(name: str) -> float:
    text = request.args.get(name, "")
    try:
        return float(text)
    except ValueError:
        raise OutOfRange(name, shown=text[:20], wanted="a number") from None


def _render(*, typed: dict[str, str] | None = None, faults: dict[str, str] | None = None) -> str:
    equipment = workshop().equipment
    with workshop().store() as conn:
        jobs, carriers = recordings.jobs_to_keep_for(conn), known_carriers(conn)
    return render_template(
        "ears/page.html",
        led=equipment.by_ear,
        known=sorted(equipment.ears.known.items()),
        practice=hearing.PRACTICE if equipment.practice else "",
        full_v=hearing.FULL_PEAK_V,
        jobs=jobs,
        carriers=carriers,
        lengths=recordings.LENGTHS_S,
        kept=whole(request.args.get("kept")) if request.args.get("kept") else None,
        typed=typed or {},
        faults=faults or {},
    )
