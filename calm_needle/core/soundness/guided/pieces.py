"""The table of guided pieces of work, and where one stands."""

from collections.abc import Mapping
from typing import NamedTuple

from calm_needle.core.soundness.guided import open_capacitor, rewind, which_can, will_not_peak
from calm_needle.core.soundness.guided.piece import Answers, Piece
from calm_needle.core.soundness.guided.small_works import ADJUSTABLE, CONTACT, DONOR, GANG, SPLICE, SUBSTITUTE, WARM_VALVE
from calm_needle.core.verdict import Verdict
from calm_needle.errors import CalmNeedleError

PIECES: dict[str, Piece] = {
    p.name: p
    for p in (
        open_capacitor.PIECE,
        rewind.PIECE,
        will_not_peak.PIECE,
        which_can.PIECE,
        GANG,
        DONOR,
        SPLICE,
        ADJUSTABLE,
        SUBSTITUTE,
        CONTACT,
        WARM_VALVE,
    )
}


class Standing(NamedTuple):
    """Where a piece of work stands: what each answered stage says, which stages may be answered, whether it is through."""

    said: dict[str, Verdict]
    may_answer: tuple[str, ...]
    through: bool


def stand(piece: Piece, answered: Mapping[str, Mapping[str, object]], facts: Mapping[str, object]) -> Standing:
    """Return where a piece stands by the answers of each stage. A stage is judged with all answers before it.

    A stage that says stop holds up those after it, unless all gates are open; then each is judged by itself.
    """
    said: dict[str, Verdict] = {}
    may: list[str] = []
    values: dict[str, object] = {}
    held_up = False
    for stage in piece.stages:
        if not held_up:
            may.append(stage.name)
        if stage.name in answered and not held_up:
            values |= answered[stage.name]
            try:
                said[stage.name] = stage.judge(Answers(values, facts))
            except CalmNeedleError as fault:  # figures that cannot go together: said where they were typed
                said[stage.name] = Verdict("stop", str(fault))
        if not piece.all_gates and (stage.name not in said or said[stage.name].state == "stop"):
            held_up = True
    through = len(said) == len(piece.stages) and all(s.state != "stop" for s in said.values())
    if piece.all_gates:
        through = through and all(s.state == "good" for s in said.values())
    return Standing(said, tuple(may), through)
