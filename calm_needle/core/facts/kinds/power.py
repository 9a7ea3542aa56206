"""The power of the set: what was looked at before it, each step behind a limiter, what stopped it, and when it went off."""

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact
from calm_needle.core.facts.kind import DANGER, Context, FactKind, Want
from calm_needle.core.facts.power_ups import STEP, STOP_A
from calm_needle.core.quantities import format_si
from calm_needle.core.soundness.safe_start import ladder, looks_before

SCREEN = "start"
CAUSE, CUT, OFF, SMOKE = "power cause", "power cut", "power off", "smoke"


def _look(fact: Fact, model: Model) -> str:
    wrong = [look.right for look in looks_before(model.safety_class) if fact.detail["said"].get(look.id) != "yes"]
    return f"Not right before first power: {'; '.join(wrong)}" if wrong else "Looked over before first power: all right"


def _step(fact: Fact, model: Model) -> str:
    title = ladder(model.safety_class)[int(fact.detail["rung"])].title
    return "Switched on" if fact.detail.get("said") else title


def _current(fact: Fact, model: Model) -> str:
    return f"Current {format_si(fact.detail['a'], unit='A', digits=3)}"


def _current_wants(fact: Fact, context: Context) -> Want | None:
    stop_a = fact.detail.get(STOP_A)
    if stop_a is None or fact.detail["a"] < stop_a or context.came_later(fact, CAUSE):
        return None
    limit = format_si(stop_a, unit="A", digits=3)
    return Want(
        f"{_current(fact, context.model)}, stop limit {limit}. Power stays off until the cause is known.", "Log the cause", SCREEN, DANGER
    )


def _smoke_wants(fact: Fact, context: Context) -> Want | None:
    if context.came_later(fact, CAUSE):
        return None
    return Want(f"{_smoke(fact, context.model)}. Power stays off until the cause is known.", "Log the cause", SCREEN, DANGER)


def _smoke(fact: Fact, model: Model) -> str:
    words = str(fact.detail.get("words") or "").rstrip(".")
    return f"Stopped: {words}" if words else "Stopped: smoke, arcing or a hot smell"


KINDS = (
    FactKind("power look", "Inspection before power", SCREEN, _look),
    FactKind(STEP, "Power step", SCREEN, _step),
    FactKind("current", "Supply current", SCREEN, _current, wants=_current_wants),
    FactKind(SMOKE, "Emergency stop", SCREEN, _smoke, wants=_smoke_wants),
    FactKind(CUT, "Power cut", SCREEN, lambda fact, model: "Power cut after the stop"),
    FactKind(CAUSE, "Cause of a stop", SCREEN, lambda fact, model: f"Cause: {fact.detail['words']}"),
    FactKind(OFF, "Power off", SCREEN, lambda fact, model: "Switched off"),
    FactKind("power still on", "Power on", SCREEN, lambda fact, model: "Still on"),
    FactKind("power-up finished", "First power-up", SCREEN, lambda fact, model: "First power-up finished: rails right and settled, warm"),
)
