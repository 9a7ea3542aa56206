"""A model's dossier: line-up, bands, adjusters on the chassis, procedure."""

from flask import Blueprint, Response, render_template

from calm_needle.core.procedure.phases import PHASE_NAMES
from calm_needle.web.asking import workshop
from calm_needle.work.jobs import shelf as work

screen = Blueprint("dossier", __name__, url_prefix="/models")


@screen.get("/<key>")
def page(key: str) -> str:
    with workshop().store() as conn:
        model = work.model_of(conn, key)
    phases = [(phase, model.groups_of(phase)) for phase in PHASE_NAMES if model.groups_of(phase)]
    return render_template("dossier/page.html", model=model, phases=phases)


@screen.get("/<key>/dossier.json")
def download(key: str) -> Response:
    with workshop().store() as conn:
        content = work.dossier_text(conn, key)
    return Response(content, mimetype="application/json", headers={"Content-Disposition": f'attachment; filename="{key}.json"'})
