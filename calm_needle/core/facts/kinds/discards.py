"""A discard: a fact that does not count, with the reason. The fact stays in the journal."""

from calm_needle.core.facts.fold import DISCARD
from calm_needle.core.facts.kind import FactKind

KINDS = (FactKind(DISCARD, "Discard", "journal", lambda fact, model: str(fact.detail["reason"])),)
