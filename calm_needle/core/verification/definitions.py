"""By what a sensitivity is defined: which two states of the generator are compared, and how far apart their outputs are to be.

A figure without its criterion says nothing, and two by different ones are not compared. IEC 60315-3 (AM receivers) and 60315-4 (FM).
"""

from dataclasses import dataclass
from typing import Literal

from calm_needle.core.physics.heard import Heard
from calm_needle.errors import UnknownName

State = Literal["tone", "carrier", "off", "standard"]  # modulated, not modulated, output off; the standard output in place of a reading
Evidence = Literal["measured", "by ear"]
DEPTH, TONE_HZ = 0.3, 400.0


@dataclass(frozen=True)
class Definition:
    """One criterion. high, low: what is read, the louder over the quieter, in decibels; apart_db: how far apart they are to be.

    waveform: both come out of one waveform, by a fitted tone; evidence: what a figure by it is worth; slope: what a decibel more at the
    generator adds near the criterion (dB), and how sure that is.
    """

    name: str
    words: str
    short: str
    high: State = "tone"
    low: State = "carrier"
    apart_db: float = 0.0
    waveform: bool = False
    evidence: Evidence = "measured"
    slope: tuple[float, float] = (1.0, 0.15)
    by_instruments: bool = True

    @property
    def modulated(self) -> bool:
        """Whether its words must say the modulation."""
        return "tone" in (self.high, self.low)

    @property
    def heard_at_once(self) -> bool:
        """Whether one listening tells how far apart the two are, the tone sounding."""
        return self.waveform or (self.by_instruments and (self.high, self.low) == ("tone", "carrier"))


DEFINITIONS: dict[str, Definition] = {
    d.name: d
    for d in (
        Definition("standard-output", "50\u00a0mW into the load, 30\u00a0% at 400\u00a0Hz, volume full", "50\u00a0mW", low="standard"),
        Definition(
            "s-plus-n",
            "10\u00a0dB (S+N)/N, 30\u00a0% at 400\u00a0Hz",
            "10\u00a0dB (S+N)/N",
            apart_db=10.0,
            slope=(0.95, 0.1),
        ),
        Definition(
            "sinad", "12\u00a0dB SINAD, 30\u00a0% at 400\u00a0Hz", "12\u00a0dB SINAD", apart_db=12.0, waveform=True, slope=(0.95, 0.15)
        ),
        Definition("quieting", "20\u00a0dB quieting, carrier alone", "20\u00a0dB quieting", high="off", apart_db=20.0, slope=(1.0, 0.4)),
        Definition(
            "mds",
            "noise raised by 3\u00a0dB (minimum discernible)",
            "3\u00a0dB rise",
            high="carrier",
            low="off",
            apart_db=3.0,
            slope=(0.8, 0.3),
        ),
        Definition("strength-mark", "a mark of the set’s own signal-strength meter", "meter’s mark", by_instruments=False),
        Definition("just-audible", "just audible", "just audible", evidence="by ear", by_instruments=False),
    )
}
MEASURED_FIRST = ("s-plus-n", "standard-output", "sinad", "quieting", "mds")  # what one offers, the usual first


def definition_named(name: str) -> Definition:
    """Return the definition of that name. Raises UnknownName."""
    if name not in DEFINITIONS:
        raise UnknownName("definition of sensitivity", name, known=tuple(DEFINITIONS))
    return DEFINITIONS[name]


def heard_apart_db(definition: Definition, heard: Heard) -> float | None:
    """Return how far apart (dB) a definition's two are in what is heard at once, the tone sounding; None where it takes two listenings.

    (S+N)/N: what is left when the tone and its harmonics are taken out stands for the output with the modulation off.
    """
    if not definition.heard_at_once:
        return None
    return heard.sinad_db if definition.waveform else heard.signal_to_noise_db
