"""The practice set itself as something that can be reached: its adjusters, its wax, the place where the lead is clipped."""

import json
from collections.abc import Callable

from calm_needle.core.scpi import Command, read_number
from calm_needle.sim.instruments.stand_in import BAD_DATA, MISSING, OUT_OF_RANGE, Refusal, StandIn
from calm_needle.sim.receiver.adjuster import Core
from calm_needle.sim.receiver.practice import PracticeReceiver

MOST_TURNS_AT_ONCE = 5.0


class Hands(StandIn):
    """Lets a person turn the cores of the practice receiver over the wire; `keep` is called after every change."""

    identity = "Tern Rock,Practice set,0,1"

    def __init__(self, receiver: PracticeReceiver, *, keep: Callable[[], None]) -> None:
        super().__init__()
        self._receiver, self._keep = receiver, keep
        self.commands |= {
            "TURN": self._turn,
            "POSition": self._position,
            "WAX:CLEar": self._clear_wax,
            "LEAD": self._lead,
            "TRUTh": self._truth,
        }

    def _core(self, command: Command) -> Core:
        if not command.arguments:
            raise Refusal(*MISSING)
        core = self._receiver.cores.get(command.arguments[0])
        if core is None:
            raise Refusal(-224, f"Illegal parameter value: no adjuster {command.arguments[0][:40]}")
        return core

    def _turn(self, command: Command) -> str | None:
        core = self._core(command)
        if len(command.arguments) < 2:
            raise Refusal(*MISSING)
        try:
            turns = read_number(command.arguments[1])
        except ValueError:
            raise Refusal(*BAD_DATA) from None
        if abs(turns) > MOST_TURNS_AT_ONCE:
            raise Refusal(*OUT_OF_RANGE)
        core.turn(turns)
        self._keep()
        return self._shown(core)

    def _position(self, command: Command) -> str:
        return self._shown(self._core(command))

    def _shown(self, core: Core) -> str:
        return f"{core.tool_turns:.6f},{int(core.at_stop())},{core.position_turns / core.travel_turns:.4f}"

    def _clear_wax(self, command: Command) -> None:
        self._core(command).waxed = False
        self._keep()

    def _lead(self, command: Command) -> str | None:
        if command.asks:
            return self._receiver.lead or "NONE"
        if not command.arguments:
            raise Refusal(*MISSING)
        self._receiver.lead = None if command.arguments[0] == "NONE" else command.arguments[0]
        self._keep()
        return None

    def _truth(self, command: Command) -> str:
        return json.dumps(self._receiver.truth()._asdict())
