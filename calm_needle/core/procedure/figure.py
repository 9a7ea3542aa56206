"""A figure as it is judged and kept: value, standard uncertainty, unit."""

from typing import NamedTuple

from calm_needle.core.constants import K95
from calm_needle.core.quantities import digits_by, format_si


class Figure(NamedTuple):
    """A value (SI, or decibels) with its standard deviation where one is known."""

    value: float
    sigma: float | None
    unit: str

    def shown(self, digits: int = 4) -> str:
        """Return the value with its unit; where its uncertainty (95 %) is known, with that, and with the digits it leaves.

        >>> Figure(468.02e3, 7.5, "Hz").shown(), Figure(0.412, None, "V").shown()
        ('468.020\\u2009kHz ±\\u200915\\u2009Hz', '412.0\\u2009mV')
        """
        if not self.sigma:
            return format_si(self.value, unit=self.unit, digits=digits)
        u95 = K95 * self.sigma
        text = format_si(self.value, unit=self.unit, digits=digits_by(self.value, u95=u95))
        return f"{text} ±\u2009{format_si(u95, unit=self.unit, digits=2)}"
