"""The practice set: a simulated receiver whose adjusters can be turned from the page."""

import json
from typing import NamedTuple

from calm_needle.bench.instrument import Instrument
from calm_needle.errors import InstrumentNonsense

LONGEST_WORD = 80


class Position(NamedTuple):
    """Where an adjuster stands: turns the tool has made in all, at a stop or not, and how far along its travel (0..1) it looks."""

    turns: float
    at_stop: bool
    travel: float


class Former(NamedTuple):
    """A winding on its former: mean diameter, width and depth (m), and what its wire has (Ω a metre)."""

    mean_diameter_m: float
    width_m: float
    depth_m: float
    ohm_a_metre: float


class SetTruth(NamedTuple):
    """What the practice set knows of itself: peak of its IF strip (Hz), gain short of ideal now and at best (dB)."""

    peak_hz: float
    loss_db: float
    best_loss_db: float


class PracticeSet(Instrument):
    name = "practice set"

    def turn(self, adjuster: str, turns: float) -> Position:
        """Control an adjuster by so many turns (positive clockwise); get where it then stands."""
        return self._position(f'TURN? "{adjuster}",{turns:.6f}')

    def position(self, adjuster: str) -> Position:
        """Get where an adjuster stands."""
        return self._position(f'POS? "{adjuster}"')

    def adjusters(self) -> tuple[str, ...]:
        """Get which adjusters can be turned."""
        return tuple(a for a in self._transport.query("ADJ?").split(",") if a)

    def clear_wax(self, adjuster: str) -> None:
        """Control the wax: melt and pick it out of the core."""
        self._set(f'WAX:CLE "{adjuster}"')

    def clip_lead(self, point: str) -> None:
        """Control where the generator's lead is clipped."""
        self._set(f'LEAD "{point}"')

    def lead(self) -> str:
        """Get where the generator's lead is clipped."""
        return self._transport.query("LEAD?")

    def clip(self, instrument: str, point: str) -> None:
        """Control where an instrument's probe is clipped: counter, oscilloscope1, oscilloscope2; a test point, or nowhere («»)."""
        self._set(f'CLIP "{instrument}","{point or "NONE"}"')

    def switch(self, name: str, word: str) -> None:
        """Control a switch of the set, by its name. What the wire has no letters for goes as a question mark."""
        self._set(f'SWIT "{_plain(name)}","{_plain(word)}"')

    def cover(self, *, on: bool) -> None:
        """Control the screening cans."""
        self._set(f"COV {'ON' if on else 'OFF'}")

    def point(self, dial_hz: float, *, come_from: str = "") -> None:
        """Control the pointer: at a mark of the dial, by eye; come to from one side, or as it comes."""
        side = f',"{_plain(come_from)}"' if come_from else ""
        self._set(f"TUNE:MARK {dial_hz:.1f}{side}")

    def bands(self) -> tuple[str, ...]:
        """Get the bands that it can be switched to."""
        return tuple(b for b in self._transport.query("BAND:CAT?").split(",") if b)

    def strength(self) -> float:
        """Get what its signal-strength meter shows (dB)."""
        return self._number("MET?", "dB")

    def probe(self, at: str, *, lifted: bool = True) -> None:
        """Control where the meter's probes are: a test point, or across a part with one end lifted or in circuit."""
        self._set(f'PROB "{at}",{"LIFT" if lifted else "CIRC"}')

    def feed_through(self, winding: str, *, clamped_f: float = 0.0) -> None:
        """Control the leads: generator into a winding, the meter's diode probe beyond it, a capacitor held across it for the test."""
        self._set(f'PROB "{winding}",THRU,{clamped_f:.6E}')

    def share(self) -> float:
        """Get the power it has: share 0..1 of full."""
        return self._number("POW?")

    def select_band(self, band: str) -> None:
        """Control the band switch."""
        self._set(f'BAND "{band}"')

    def tune_in(self, near_hz: float) -> float:
        """Control the tuning: to the loudest place about a mark of the dial; get the mark at which the pointer then stands (Hz)."""
        return self._number(f"TUNE? {near_hz:.1f}")

    def power(self, share: float) -> None:
        """Control the power: share 0..1 of full."""
        self._set(f"POW {share:.3f}")

    def let_pass(self, seconds: float) -> None:
        """Control the set's clock: let time (s) go by."""
        self._set(f"TIME:PASS {seconds:.1f}")

    def passed_s(self) -> float:
        """Get the seconds that were let go by in all."""
        return self._number("TIME:PASS?")

    def fit(self, part: str, value: float) -> None:
        """Control a part: put in a new one of this value (SI)."""
        self._set(f'PART:FIT "{part}",{value:.6E}')

    def wind(self, part: str, *, turns: float, wire_diameter_m: float) -> None:
        """Control a winding: wind it anew."""
        self._set(f'PART:WIND "{part}",{turns:.1f},{wire_diameter_m:.6E}')

    def former(self, part: str) -> Former:
        """Get what a calliper and an ohmmeter find of a winding that is taken off its former."""
        reply = self._transport.query(f'PART:FORM? "{part}"')
        try:
            return Former(*(float(n) for n in reply.split(",")))
        except (ValueError, TypeError):
            raise InstrumentNonsense(self.name, "PART:FORM?", reply) from None

    def put_across(self, part: str, farads: float) -> None:
        """Control the capacitor across a winding: put one there from outside."""
        self._set(f'PART:ACR "{part}",{farads:.6E}')

    def sound(self, *, samples: int, rate_hz: float) -> bytes:
        """Get the next samples at its loudspeaker: volts, four bytes each, the least first. Raises InstrumentNonsense for fewer."""
        line = f"SOUN? {samples},{rate_hz:.1f}"
        data = self._transport.query_block(line)
        if len(data) != 4 * samples:
            raise InstrumentNonsense(self.name, line, f"{len(data)} bytes where {4 * samples} were asked for")
        return data

    def truth(self) -> SetTruth:
        """Get what only a practice set can tell."""
        reply = self._transport.query("TRUT?")
        try:
            return SetTruth(**json.loads(reply))
        except (ValueError, TypeError):
            raise InstrumentNonsense(self.name, "TRUT?", reply) from None

    def _position(self, line: str) -> Position:
        reply = self._transport.query(line)
        try:
            turns, at_stop, travel = reply.split(",")
            return Position(float(turns), at_stop == "1", float(travel))
        except ValueError:
            raise InstrumentNonsense(self.name, line, reply) from None


def _plain(text: str) -> str:
    """Text as a quoted parameter can carry it: printable ASCII, no quotes, not long."""
    return "".join(c if " " <= c <= "~" and c != '"' else "?" for c in text[:LONGEST_WORD])
