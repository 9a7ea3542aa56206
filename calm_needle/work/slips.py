"""Asking before a value is kept that is off by a thousand or a million: a prefix was forgotten, or it is really so.

What is sent a second time as it was (the form's `sure-FIELD`) is meant, and is kept.
"""

import math
from collections.abc import Mapping

from calm_needle.core.plausible import likely_instead, part_instead, question
from calm_needle.core.quantities import format_plain
from calm_needle.errors import FieldsRefused

WAS_ON = "It was straight on when this was read"
FACTORS = (1e-9, 1e-6, 1e-3, 1e3, 1e6)


class Slips:
    """The values of one form that are asked about, and what stands against the others."""

    def __init__(self, form: Mapping[str, str]) -> None:
        self._form = form
        self.faults: dict[str, str] = {}
        self._meant: dict[str, str] = {}
        self._asks: dict[str, str] = {}

    def beside(self, field: str, value: float, *, drawn: float | None, unit: str) -> None:
        """Ask about a value that a factor of a thousand or a million would bring to what is drawn."""
        self._ask(field, value, part_instead(abs(value), drawn=abs(drawn)) if drawn else None, unit)

    def about(self, field: str, value: float, *, expected: float, unit: str) -> None:
        """Ask about a value that cannot be meant: by whichever factor it comes nearest to what is expected."""
        meant = min((abs(value) * f for f in FACTORS), key=lambda v: abs(math.log(v / expected)))
        self._ask(field, value, meant, unit)

    def within(self, field: str, value: float, *, sensible: tuple[float, float] | None, unit: str) -> None:
        """Ask about a value outside what such values are, where a factor explains it."""
        self._ask(field, value, likely_instead(value, sensible=sensible) if sensible else None, unit)

    def was_on(self, field: str, why_silent: str) -> None:
        """Ask about a reading of a set that is not straight on now: it may have been when it was read. why_silent: empty where it is on."""
        if why_silent and field not in self.faults and self._form.get("was_on") != "yes":
            self.faults[field], self._asks[field] = why_silent, WAS_ON

    def refuse(self) -> None:
        """Raise FieldsRefused where anything stands against what was typed, or is asked about."""
        if self.faults:
            raise FieldsRefused(self.faults, meant=self._meant, asks=self._asks)

    def _ask(self, field: str, value: float, meant: float | None, unit: str) -> None:
        if meant is None or field in self.faults or self._form.get(f"sure-{field}", "").strip() == self._form.get(field, "").strip():
            return
        signed = meant if value > 0 else -meant
        self.faults[field] = question(value, meant=signed, unit=unit)
        self._meant[field] = format_plain(signed, unit=unit)
