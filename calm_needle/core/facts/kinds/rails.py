"""Volts at a rail or an electrode. A cold reading, or one behind a limiter, never takes the place of a warm one at full power."""

import itertools
from collections.abc import Sequence

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact, subject
from calm_needle.core.facts.kind import Context, FactKind, Touches, Want
from calm_needle.core.facts.power_ups import SHARE, SINCE_S, T_S, UP, WARM
from calm_needle.core.quantities import format_plain
from calm_needle.core.soundness.points import is_rail, point_of, stage_of
from calm_needle.core.soundness.safe_start import FEWEST_WARM, judge_rail, judge_warm, ladder
from calm_needle.core.verdict import Verdict

HEATED = "warm"
SHOWS_WARM = "It shows warm only."
WATCHED_S = 300.0  # s of a later warm-up without a sag, after which an earlier one is cleared


def _name(fact: Fact, model: Model) -> str:
    point = point_of(model, fact.subject_id)
    return point.name if point else fact.subject_id


def line(fact: Fact, model: Model) -> str:
    """Return a reading in one line, with the power it was taken at."""
    name = _name(fact, model)
    how = (
        HEATED if fact.detail.get(WARM) else f"at {100.0 * fact.detail[SHARE]:.0f} % power" if fact.detail.get(SHARE, 1.0) < 1.0 else "cold"
    )
    return f"{_capital(name)} {format_plain(fact.detail['v'], unit='V')}, {how}"


def _capital(words: str) -> str:
    return f"{words[0].upper()}{words[1:]}"


def _rests_on(point: str, model: Model) -> Touches:
    stage = stage_of(model, point.partition(":")[2])
    return frozenset((point, subject("stage", stage))) if stage else frozenset((point,))


def judge(facts: Sequence[Fact], model: Model) -> Verdict | None:
    """Return the verdict on a point: on its last warm reading, or on how it moved while it warmed; on the last cold one where none is."""
    point = point_of(model, facts[-1].subject_id)
    if point is None:
        return None
    warm = [f for f in facts if f.detail.get(WARM)]
    last = (warm or list(facts))[-1]
    if not warm and not is_rail(model, point.id):
        return None  # the service data give no volts of an electrode behind a limiter
    said = judge_rail(last.detail["v"], point=point, share=last.detail.get(SHARE, 1.0), warming=not warm and last.detail.get(SHARE) == 1.0)
    sag = sagging(facts, model)
    if sag is None:
        return said
    return Verdict("stop", f"{said.sentence} {sag.sentence}" if said.state == "stop" else sag.sentence, (SHOWS_WARM,))


def sagging(facts: Sequence[Fact], model: Model) -> Verdict | None:
    """Return what was found of a point that sags while it warms, unless a later warm-up was watched and it did not."""
    heats_s, found = ladder(model.safety_class)[-1].heats_s, None
    at_full = [f.detail for f in facts if f.detail.get(SHARE) == 1.0]
    for _, of_one in itertools.groupby(at_full, key=lambda detail: detail[UP]):
        mine = list(of_one)
        verdict = judge_warm([(d[T_S], d["v"]) for d in mine], since_s=mine[0][SINCE_S], heats_s=heats_s)
        if verdict.state == "stop":
            found = verdict
        elif len(mine) >= FEWEST_WARM and mine[-1][T_S] - mine[0][T_S] >= WATCHED_S:
            found = None
    return found


def _wants(fact: Fact, context: Context) -> Want | None:
    verdict = context.verdict
    if verdict is None or verdict.state != "stop":
        return None
    points_to = "sags warm" if SHOWS_WARM in verdict.evidence else "rail out"
    return Want(f"{_capital(_name(fact, context.model))}: {verdict.sentence}", "Find the fault", "guided", points_to=points_to)


KINDS = (
    FactKind(
        *("rail", "Volts", "start", line),
        identity=lambda fact: (fact.subject, bool(fact.detail.get(WARM))),
        rests_on=_rests_on,
        judge=judge,
        wants=_wants,
    ),
)
