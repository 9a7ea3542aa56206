"""Fault-finding guides that were gone through."""

from calm_needle.core.dossier.model import Model
from calm_needle.core.facts.fact import Fact
from calm_needle.core.facts.kind import FactKind
from calm_needle.core.soundness.guided.pieces import PIECES


def _begun(fact: Fact, model: Model) -> str:
    piece = PIECES.get(fact.detail["piece"])
    about = fact.detail["about"]
    return f"{piece.title if piece else fact.detail['piece']}{f', {about}' if about else ''}: begun"


KINDS = (
    FactKind("guide", "Fault-finding guide", "guided", _begun),
    FactKind(
        "guide ended",
        "Guide ended",
        "guided",
        lambda f, model: f"{f.detail['outcome']}{': ' + f.detail['words'] if f.detail['words'] else ''}",
    ),
)
