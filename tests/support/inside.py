"""The stand-in instruments inside the process of the test, on the clock of the workshop: no sockets, no second process."""

import json
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from calm_needle.bench.transport import USUAL_LINE, VisaTransport, Wire
from calm_needle.clock import SYSTEM, Clock
from calm_needle.core.description import Line
from calm_needle.core.dossier.filled import filled_in
from calm_needle.core.dossier.read import read_model
from calm_needle.errors import InstrumentGone
from calm_needle.sim.instruments.stand_in import StandIn
from calm_needle.sim.receiver.practice import PracticeReceiver
from calm_needle.sim.rig import instruments_at
from calm_needle.work.instruments.inside import HERE, InsideLink
from calm_needle.work.instruments.stand_ins import StandIns


class InsideStandIns(StandIns):
    """As a rig of its own process, as far as anybody behind a transport can tell. hold_up: called before each answer, with the
    instrument's kind and the line: it may wait, or raise InstrumentError."""

    def __init__(self, *, clock: Clock = SYSTEM, misalign: str = "moderate", hold_up: Callable[[str, str], None] | None = None) -> None:
        super().__init__(Path("/nowhere"), misalign=misalign)
        self._clock, self.hold_up = clock, hold_up
        self._kept: dict[int, dict[str, Any]] = {}  # by set, as the state file of a rig keeps it
        self.receiver: PracticeReceiver | None = None
        self.instruments: dict[str, StandIn] = {}
        self.answers = threading.Lock()  # one receiver behind them all

    @property
    def plugged_in(self) -> bool:
        return self.receiver is not None

    def resources(self) -> dict[str, str]:
        return {kind: f"{HERE}{kind}" for kind in self.instruments}

    def link(self, resource: str, *, name: str, line: Line = USUAL_LINE) -> Wire:
        if not resource.startswith(HERE):
            return VisaTransport(resource, name=name, line=line)
        return _Link(self, resource, name)

    def plug_in(self) -> None:
        if self.plugged_in or self._set_id is None:
            return
        data, _ = filled_in(json.loads(self._dossier))
        set_id = self._set_id
        receiver = PracticeReceiver(
            read_model(data),
            seed=set_id,
            misalign=self._misalign,  # type: ignore[arg-type]
            faults=self._faults,
            clock=self._clock.monotonic,
        )
        if set_id in self._kept:
            receiver.restore(self._kept[set_id])
        self.receiver = receiver
        self.instruments = instruments_at(receiver, keep=lambda: None)

    def unplug(self) -> None:
        if self.receiver is not None and self._set_id is not None:
            self._kept[self._set_id] = self.receiver.state()
        self.receiver = None


class _Link(InsideLink):
    """The product's own, which may be held up and unplugged."""

    def __init__(self, bench: InsideStandIns, resource: str, name: str) -> None:
        super().__init__(bench.instruments[resource.removeprefix(HERE)], resource)
        self._bench, self._name = bench, name
        self._kind = resource.removeprefix(HERE)

    def answer(self, line: str) -> str | None:
        bench = self._bench
        if bench.hold_up:
            bench.hold_up(self._kind, line)
        if not bench.plugged_in:
            raise InstrumentGone(self._name, self.resource)
        with bench.answers:
            return bench.instruments[self._kind].answer(line)
