"""Measurements by a named definition, and ratios found on the way."""

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact
from calm_needle.core.facts.kind import FactKind, every_stage
from calm_needle.core.quantities import format_plain, format_si
from calm_needle.core.verification.measures import MEASURES


def _line(fact: Fact, model: Model) -> str:
    measure, measured = MEASURES[fact.detail["what"]], fact.detail["measured"]
    band = next((b.name for b in model.bands if b.id == fact.subject_id), "")
    at_hz = measured.get("at_hz") or measured.get("nominal_hz")
    where = f" on {band}" if band else ""
    at = f" at {format_plain(at_hz, unit='Hz', digits=4)}" if at_hz else ""
    figures = [f for f in measure.figures(measured) if f.value is not None or f.shown]
    said = f": {figures[0].shown}" if figures and figures[0].shown else ""
    return f"{measure.title}{where}{at}{said}"


def _image(fact: Fact, model: Model) -> str:
    d = fact.detail
    signal, image = (format_si(v, unit="V", digits=3) for v in (d["signal_v"], d["image_v"] or d["most_v"]))
    place = format_plain(d["dial_hz"], unit="Hz", digits=4)
    return f"Image ratio at {place}: {signal} on the signal, {'' if d['image_v'] else 'over '}{image} on its image"


def _same(fact: Fact) -> tuple[object, ...]:
    m = fact.detail["measured"]
    return (fact.subject, fact.detail["what"], m.get("definition"), m.get("at_hz") or m.get("nominal_hz"), fact.detail.get("cover"))


KINDS = (
    FactKind("measurement", "Measurement", "verify", _line, identity=_same, rests_on=every_stage),
    FactKind(
        *("image ratio", "Image ratio", "dial", _image),
        identity=lambda fact: (fact.subject, fact.detail["dial_hz"]),
        rests_on=every_stage,
    ),
)
