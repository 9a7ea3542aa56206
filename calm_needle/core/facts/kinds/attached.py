"""Photographs, recordings and calculations that were added to a job."""

from calm_needle.core.facts.kind import FactKind

KINDS = (
    FactKind("photograph", "Photograph", "photographs", lambda fact, model: fact.detail["caption"] or "without a caption"),
    FactKind("recording", "Recording", "recordings", lambda fact, model: fact.detail["words"] or fact.detail["input"]),
    FactKind("calculation", "Calculation", "job", lambda fact, model: fact.detail["sentence"]),
)
