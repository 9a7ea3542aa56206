"""The practice set: a simulated receiver whose adjusters can be turned from the page."""

import json
from typing import NamedTuple

from calm_needle.bench.instrument import Instrument
from calm_needle.errors import InstrumentNonsense


class Position(NamedTuple):
    """Where an adjuster stands: turns the tool has made in all, at a stop or not, and how far along its travel (0..1) it looks."""

    turns: float
    at_stop: bool
    travel: float


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

    def clear_wax(self, adjuster: str) -> None:
        """Control the wax: melt and pick it out of the core."""
        self._set(f'WAX:CLE "{adjuster}"')

    def clip_lead(self, point: str) -> None:
        """Control where the generator's lead is clipped."""
        self._set(f'LEAD "{point}"')

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
