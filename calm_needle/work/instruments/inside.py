"""The stand-in instruments within this process, on a clock of their own: no sockets, and waiting takes no time. For rehearsals."""

from collections.abc import Mapping
from datetime import UTC, datetime, timedelta

from calm_needle.bench.transport import USUAL_LINE, Wire
from calm_needle.clock import Clock, Event
from calm_needle.core.description import Line
from calm_needle.errors import InstrumentGone
from calm_needle.sim.instruments.stand_in import StandIn
from calm_needle.work.instruments.equipment import Equipment

BEGAN = datetime(2026, 11, 24, 9, 0, tzinfo=UTC)
HERE = "INSIDE::"


class LeapingClock(Clock):
    """Time that goes only by what is waited for. For one thread."""

    def __init__(self) -> None:
        self._now_s = 0.0

    def utc(self) -> datetime:
        return BEGAN + timedelta(seconds=self._now_s)

    def monotonic(self) -> float:
        return self._now_s

    def wait(self, seconds: float, *, until: Event | None = None) -> bool:
        self._now_s += max(0.0, seconds)
        return until is not None and until.is_set()


class InsideLink(Wire):
    """A transport to a stand-in that is an object of this process."""

    def __init__(self, stand_in: StandIn, resource: str) -> None:
        self._stand_in, self.resource = stand_in, resource

    def answer(self, line: str) -> str | None:
        """Let the stand-in answer a line."""
        return self._stand_in.answer(line)

    def write(self, line: str) -> None:
        self.answer(line)

    def query(self, line: str) -> str:
        answer = self.answer(line)
        assert answer is not None, line
        return answer

    def query_block(self, line: str) -> bytes:
        got = self.query(line).encode("latin-1")
        begin = 2 + int(got[1:2])
        return got[begin : begin + int(got[2:begin])]

    def listen(self) -> str:
        raise InstrumentGone("a stand-in", self.resource)

    def close(self) -> None:
        """Nothing to let go of."""


def equipment_of(instruments: Mapping[str, StandIn], clock: Clock) -> Equipment:
    """Return the equipment that stand-ins are, by their kinds."""

    def link(resource: str, *, name: str, line: Line = USUAL_LINE) -> Wire:
        return InsideLink(instruments[resource.removeprefix(HERE)], resource)

    equipment = Equipment(clock=clock, links=link)
    equipment.connect({kind: f"{HERE}{kind}" for kind in instruments})
    return equipment
