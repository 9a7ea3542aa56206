"""What is decided at the end of a group, by the name that its `decides` has."""

from collections.abc import Callable, Mapping
from typing import Any

from calm_needle.core.dossier.model import Group, Model
from calm_needle.core.procedure.decision import Decision
from calm_needle.core.procedure.dial.advice import dial_decision
from calm_needle.core.procedure.front_end.advice import front_end_decision
from calm_needle.core.procedure.run import RunState

Decide = Callable[[Model, RunState, Group, Mapping[str, Any]], Decision]

DECISIONS: dict[str, Decide] = {"dial": dial_decision, "front end": front_end_decision}
