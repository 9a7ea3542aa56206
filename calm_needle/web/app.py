"""The application: its screens, its edges, and nothing of the job itself."""

import hashlib
from functools import cache
from pathlib import Path
from typing import Any

from flask import Flask, Response, abort, current_app, request, url_for
from flask_compress import Compress
from flask_wtf.csrf import CSRFProtect
from jinja2.utils import htmlsafe_json_dumps
from markupsafe import Markup

from calm_needle.core.quantities import format_db, format_plain, format_si
from calm_needle.core.soundness.cautions import LAST_WORD
from calm_needle.errors import NotFound
from calm_needle.web import asking, failures, once
from calm_needle.web.screens.bands.views import screen as bands
from calm_needle.web.screens.bench.views import screen as bench
from calm_needle.web.screens.dial.views import screen as dial
from calm_needle.web.screens.dossier.views import screen as dossier
from calm_needle.web.screens.ears.views import screen as ears
from calm_needle.web.screens.guided.views import screen as guided
from calm_needle.web.screens.histories.views import screen as histories
from calm_needle.web.screens.house_style.views import screen as house_style
from calm_needle.web.screens.instruments.views import screen as instruments
from calm_needle.web.screens.intake.views import screen as intake
from calm_needle.web.screens.job.views import screen as job
from calm_needle.web.screens.job_record.views import screen as job_record
from calm_needle.web.screens.journal.views import screen as journal
from calm_needle.web.screens.map.views import screen as chassis_map
from calm_needle.web.screens.notes.views import screen as notes
from calm_needle.web.screens.parts.views import screen as parts
from calm_needle.web.screens.photographs.views import screen as photographs
from calm_needle.web.screens.reckon.views import screen as reckon
from calm_needle.web.screens.record.views import screen as record
from calm_needle.web.screens.recordings.views import screen as recordings
from calm_needle.web.screens.repairs.views import screen as repairs
from calm_needle.web.screens.set_dossier.views import screen as set_dossier
from calm_needle.web.screens.shelf.views import screen as shelf
from calm_needle.web.screens.start.views import screen as start
from calm_needle.web.screens.stock.views import screen as stock
from calm_needle.web.screens.store.views import screen as store
from calm_needle.web.screens.verify.views import screen as verify
from calm_needle.web.waits import waits_ms
from calm_needle.work import memory
from calm_needle.work.jobs import drafts
from calm_needle.work.jobs.bar import JobBar, job_bar, job_of_run
from calm_needle.work.workshop import Workshop

HERE = Path(__file__).parent
LARGEST_REQUEST = 20_000_000  # bytes: a recording of half a minute; a dossier has its own, smaller limit
# Of what is asked for by another size.
LIMITS = {"ears.samples": 200_000, "photographs.attach": 64_000_000, "store.bring": 260_000_000}
SCREENS = (
    shelf,
    job,
    dossier,
    set_dossier,
    bench,
    record,
    instruments,
    ears,
    house_style,
    reckon,
    start,
    bands,
    dial,
    parts,
    intake,
    repairs,
    guided,
    photographs,
    recordings,
    chassis_map,
    notes,
    verify,
    job_record,
    store,
    histories,
    stock,
    journal,
)
THEMES = ("system", "linen", "lamp")
ABOUT_A_RUN = ("record.page",)
LONGEST_BUNDLE = 100
A_YEAR_S = 31_536_000


def create_app(workshop: Workshop, *, port: int | None = None) -> Flask:
    """Return the application over a workshop. Answers only to names of this very machine.

    port: the one it is served at. Browsers keep cookies by host alone, so two benches on one machine name theirs apart.
    """
    app = Flask(__name__, template_folder="screens", static_folder="static")
    app.config.update(
        SECRET_KEY=workshop.secret_key(),
        MAX_CONTENT_LENGTH=LARGEST_REQUEST,
        MAX_FORM_MEMORY_SIZE=200_000,
        TRUSTED_HOSTS=["127.0.0.1", "localhost"],  # a page elsewhere that points its name at us is refused
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_NAME=f"calm-needle-{port}" if port else "calm-needle",
        WTF_CSRF_TIME_LIMIT=None,  # a bench stands open for days
        COMPRESS_ALGORITHM=["gzip"],
        COMPRESS_MIMETYPES=["text/html", "text/css", "text/javascript", "application/javascript", "application/json", "image/svg+xml"],
    )
    app.extensions["workshop"] = workshop

    @app.before_request
    def allow_photographs() -> None:
        """Photographs and whole jobs are more than anything else may be. Set before anybody looks at the form."""
        request.max_content_length = LIMITS.get(request.endpoint or "", LARGEST_REQUEST)

    @app.before_request
    def name_what_is_done() -> None:
        """Whoever waits for the store meanwhile is told for what."""
        if request.method == "POST" and request.endpoint:
            workshop.called(f"another page ({request.endpoint.replace('.', ', ').replace('_', ' ')})")

    asking.register(app)
    CSRFProtect(app)
    Compress(app)
    for screen in SCREENS:
        app.register_blueprint(screen)
    once.register(app)
    failures.register(app)
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    app.jinja_env.globals.update(
        asset=_asset,
        script=_script,
        data_block=_data_block,
        theme=_theme,
        waits=_waits,
        job_of_page=_job_of_page,
        job_bar=_job_bar,
        page_address=asking.page_address,
        once=once.field,
        drafts_of=_drafts_of,
    )
    app.jinja_env.globals["last_word"] = LAST_WORD
    app.jinja_env.filters.update(si=_si, plain=_plain, db=format_db, sentence=_sentence)

    @app.get("/js/<screen>/<name>.js")
    def screen_script(screen: str, name: str) -> Response:
        """A script of a screen, or several in their order, joined by a plus: one answer is quicker than six."""
        if len(name) > LONGEST_BUNDLE or any((screen, one) not in _scripts() for one in name.split("+")):
            abort(404)
        return Response(_bundle(screen, name), mimetype="text/javascript")

    @app.post("/theme")
    def choose_theme() -> Response:
        chosen = request.form.get("theme", "system")
        answer = Response(status=303, headers={"Location": asking.own_address(request.form.get("back", "/"))})
        answer.set_cookie("theme", chosen if chosen in THEMES else "system", max_age=A_YEAR_S, samesite="Strict", httponly=True)
        return answer

    @app.after_request
    def let_draft_go(response: Response) -> Response:
        """What was kept properly needs no draft; the form names it."""
        job_id = (request.view_args or {}).get("job_id")
        if job_id and request.method == "POST" and response.status_code < 400 and (form := request.form.get("draft")):
            with current_app.extensions["workshop"].store() as conn:
                drafts.forget(conn, job_id, form)
        return response

    @app.after_request
    def give_memory_back(response: Response) -> Response:
        """Once a large request or answer is through."""
        if max(request.content_length or 0, response.content_length or 0) > memory.LARGE_BYTES or response.mimetype == "application/pdf":
            response.call_on_close(memory.give_back)
        return response

    @app.after_request
    def guard(response: Response) -> Response:
        failures.guarded(response)
        if request.endpoint in ("static", "screen_script") and "v" in request.args and response.status_code == 200:
            response.headers["Cache-Control"] = f"public, max-age={A_YEAR_S}, immutable"
        elif response.mimetype == "text/html":
            response.headers.setdefault("Cache-Control", "no-store")
        return response

    return app


def _asset(name: str) -> str:
    """The address of a static file, with what is in it in the address: it may be kept for ever."""
    return url_for("static", filename=name, v=_digest(HERE / "static" / name))


def _script(screen: str, name: str) -> str:
    """The address of a script, or of several joined by a plus."""
    return url_for("screen_script", screen=screen, name=name, v=hashlib.sha256(_bundle(screen, name).encode()).hexdigest()[:10])


def _data_block(name: str, value: object, swap: str | None = None) -> Markup:
    """What a script of the page starts from, as JSON that cannot end the element it stands in. swap: the part it is exchanged as."""
    part = Markup(' data-swap="{}"').format(swap) if swap else ""
    told = htmlsafe_json_dumps(value, dumps=current_app.json.dumps)
    return Markup('<script type="application/json" id="{}"{}>{}</script>').format(name, part, told)


@cache
def _bundle(screen: str, name: str) -> str:
    return "\n".join((HERE / "screens" / screen / f"{one}.js").read_text(encoding="utf-8") for one in name.split("+"))


@cache
def _scripts() -> frozenset[tuple[str, str]]:
    """The scripts of the screens: their folder and their name."""
    return frozenset((f.parent.name, f.stem) for f in (HERE / "screens").glob("*/*.js"))


@cache
def _digest(file: Path) -> str:
    return hashlib.sha256(file.read_bytes()).hexdigest()[:10]


def _job_of_page() -> int | None:
    """The job that a page is about; none for the bench page, which has a bar of its own."""
    named = request.view_args or {}
    if request.endpoint in ABOUT_A_RUN and "run_id" in named:
        with current_app.extensions["workshop"].store() as conn:
            return job_of_run(conn, named["run_id"])
    return int(named["job_id"]) if named.get("job_id") is not None else None


def _job_bar(job_id: int) -> JobBar | None:
    try:
        with current_app.extensions["workshop"].store() as conn:
            return job_bar(conn, job_id, stand_ins=asking.workshop().uses_stand_ins())
    except NotFound:  # the page of a job that is not there
        return None


def _drafts_of(job_id: int) -> list[dict[str, object]]:
    try:
        with current_app.extensions["workshop"].store() as conn:
            return [{"form": d.form, "fields": d.fields, "at": d.at_utc[11:16]} for d in drafts.of_job(conn, job_id)]
    except NotFound:  # the page of a job that is not there
        return []


def _theme() -> str:
    chosen = request.cookies.get("theme", "system")
    return chosen if chosen in THEMES else "system"


def _waits() -> dict[str, float]:
    """What the scripts of the page wait for."""
    return waits_ms(current_app.extensions["workshop"].clock)


def _sentence(words: str) -> str:
    """The first letter large, the others as they are: IF stays IF."""
    return words[:1].upper() + words[1:]


def _plain(value: float | None, unit: str) -> str:
    """A value as it was given, without zeros that nobody wrote."""
    return "" if value is None else format_plain(value, unit=unit)


def _si(value: Any, unit: str, digits: int = 4) -> str:
    return "" if value is None else format_si(float(value), unit=unit, digits=digits)
