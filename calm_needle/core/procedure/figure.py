"""A figure as it is judged and kept: value, standard uncertainty, unit."""

from typing import NamedTuple

from calm_needle.core.quantities import format_si


class Figure(NamedTuple):
    """A value (SI, or decibels) with its standard deviation where one is known."""

    value: float
    sigma: float | None
    unit: str

    def shown(self, digits: int = 4) -> str:
        """Return the value with its unit, and what it is sure to, where that is known.

        >>> Figure(468.02e3, 15.0, "Hz").shown(5)
        '468.02\\u2009kHz ±\\u200915\\u2009Hz'
        """
        text = format_si(self.value, unit=self.unit, digits=digits)
        return text if not self.sigma else f"{text} ±\u2009{format_si(self.sigma, unit=self.unit, digits=2)}"
