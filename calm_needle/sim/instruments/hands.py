"""The practice set itself as something that can be reached: adjusters, wax, power, parts, band and tuning, where leads and probes are."""

import json
import math
from collections.abc import Callable

from calm_needle.core.scpi import Command, read_number
from calm_needle.sim.instruments.oscilloscope import block
from calm_needle.sim.instruments.stand_in import BAD_DATA, MISSING, OUT_OF_RANGE, Refusal, StandIn, number_of, switch_of
from calm_needle.sim.receiver.adjuster import Adjuster
from calm_needle.sim.receiver.dial import SIDES
from calm_needle.sim.receiver.loudspeaker import Loudspeaker
from calm_needle.sim.receiver.practice import PracticeReceiver, Probes
from calm_needle.sim.receiver.supply import Supply

MOST_TURNS_AT_ONCE = 5.0
MOST_WINDING_TURNS = 5000.0
LONGEST_WAIT_S = 3600.0
MOST_CLAMPED_F = 1e-6
PROBING = ("counter", "oscilloscope1", "oscilloscope2")
MOST_SWITCHES, MOST_PAD_DB = 40, 60.0
MOST_SAMPLES, SLOWEST_HZ, FASTEST_HZ = 96_000, 7_900.0, 192_000.0  # of the sound, as audio outputs want it


class Hands(StandIn):
    """Lets a person turn the cores of the practice receiver over the wire; `keep` is called after every change."""

    identity = "Tern Rock,Practice set,0,1"
    changed_by_asking = ("TURN", "TUNE")

    def __init__(self, receiver: PracticeReceiver, *, keep: Callable[[], None]) -> None:
        super().__init__()
        self._receiver, self._keep = receiver, keep
        self._loudspeaker = Loudspeaker(receiver, seed=receiver.seed)
        self.parameters |= {"TURN": 2, "PROBes": 3, "CLIP": 2, "SWITch": 2, "LEAD:PADS": 8, "TUNE:MARK": 2}
        self.parameters |= {"SOUNd": 2, "PART:FIT": 2, "PART:WIND": 3, "PART:ACRoss": 2, "PART:FORMer": 1}
        self.commands |= {
            "ADJusters": lambda _: ",".join(self._receiver.adjusters),
            "TURN": self._turn,
            "POSition": self._position,
            "WAX:CLEar": self._clear_wax,
            "LEAD": self._lead,
            "LEAD:PADS": self._pads,
            "TRUTh": self._truth,
            "BAND": self._band,
            "TUNE": self._tune,
            "PROBes": self._probes,
            "CLIP": self._clip,
            "SWITch": self._switch,
            "COVer": self._cover,
            "BLADe": self._blade,
            "METer": lambda _: f"{self._receiver.strength():.2f}",
            "TUNE:MARK": self._point,
            "BAND:CATalog": lambda _: ",".join(self._receiver.dial.bands),
            "POWer": self._power,
            "TIME:PASS": self._let_pass,
            "PART:FIT": self._fit,
            "PART:WIND": self._wind,
            "PART:ACRoss": self._across,
            "PART:FORMer": self._former,
            "SOUNd": self._sound,
        }

    def _sound(self, command: Command) -> str:
        """The next so many samples at the loudspeaker, at so many a second: a block of volts, four bytes each, the least first."""
        if len(command.arguments) != 2:
            raise Refusal(*MISSING)
        try:
            samples, rate_hz = (read_number(a) for a in command.arguments)
        except ValueError:
            raise Refusal(*BAD_DATA) from None
        if not (1.0 <= samples <= MOST_SAMPLES and SLOWEST_HZ <= rate_hz <= FASTEST_HZ):
            raise Refusal(*OUT_OF_RANGE)
        return block(self._loudspeaker.sound(samples=round(samples), rate_hz=rate_hz).astype("<f4").tobytes())

    def _adjuster(self, command: Command) -> Adjuster:
        if not command.arguments:
            raise Refusal(*MISSING)
        adjuster = self._receiver.adjusters.get(command.arguments[0])
        if adjuster is None:
            raise Refusal(-224, f"Illegal parameter value: no adjuster {command.arguments[0][:40]}")
        return adjuster

    def _turn(self, command: Command) -> str | None:
        adjuster = self._adjuster(command)
        if len(command.arguments) < 2:
            raise Refusal(*MISSING)
        try:
            turns = read_number(command.arguments[1])
        except ValueError:
            raise Refusal(*BAD_DATA) from None
        if abs(turns) > MOST_TURNS_AT_ONCE:
            raise Refusal(*OUT_OF_RANGE)
        adjuster.turn(turns)
        self._keep()
        return self._shown(adjuster)

    def _position(self, command: Command) -> str:
        return self._shown(self._adjuster(command))

    def _shown(self, adjuster: Adjuster) -> str:
        return f"{adjuster.tool_turns:.6f},{int(adjuster.at_stop())},{adjuster.position_turns / adjuster.travel_turns:.4f}"

    def _clear_wax(self, command: Command) -> None:
        self._adjuster(command).waxed = False
        self._keep()

    def _lead(self, command: Command) -> str | None:
        if command.asks:
            return self._receiver.lead or "NONE"
        if not command.arguments:
            raise Refusal(*MISSING)
        point = command.arguments[0]
        if point != "NONE" and not self._receiver.takes_a_signal(point):
            raise Refusal(-224, f"Illegal parameter value: no signal is fed in at {point[:40]}")
        self._receiver.lead = None if point == "NONE" else point
        self._keep()
        return None

    def _pads(self, command: Command) -> str | None:
        """The pads that are thrown between generator and lead (dB); 0 for none."""
        if command.asks:
            return ",".join(f"{p:g}" for p in self._receiver.pads_db) or "0"
        if not command.arguments:
            raise Refusal(*MISSING)
        try:
            thrown = [read_number(a) for a in command.arguments]
        except ValueError:
            raise Refusal(*BAD_DATA) from None
        if any(not 0.0 <= p <= MOST_PAD_DB for p in thrown):
            raise Refusal(*OUT_OF_RANGE)
        self._receiver.pads_db = tuple(p for p in thrown if p > 0.0)
        return None

    def _truth(self, command: Command) -> str:
        return json.dumps(self._receiver.truth()._asdict())

    def _band(self, command: Command) -> str | None:
        """Which band the set is switched to."""
        dial = self._receiver.dial
        if command.asks:
            return dial.band or "NONE"
        if not command.arguments:
            raise Refusal(*MISSING)
        if command.arguments[0] not in dial.bands:
            raise Refusal(-224, f"Illegal parameter value: no band {command.arguments[0][:40]} whose tanks are known")
        if command.arguments[0] != dial.band:
            dial.select(command.arguments[0])
        self._keep()
        return None

    def _tune(self, command: Command) -> str:
        """Tune by ear to the loudest place about a mark of the dial; asked without one, where the pointer stands."""
        dial = self._receiver.dial
        if not dial.band:
            raise Refusal(-241, "Hardware missing: this dossier describes no tanks")
        if command.arguments:
            dial.tune_in(number_of(command, low=1e3, high=1e9), loudness=self._receiver.free_v)
            self._keep()
        return f"{dial.dial_hz:.1f}"

    def _point(self, command: Command) -> str | None:
        """The pointer at a mark of the dial, by eye; come to from one side, if that is named."""
        dial = self._receiver.dial
        if not dial.band:
            raise Refusal(-241, "Hardware missing: this dossier describes no tanks")
        if command.asks:
            return f"{dial.dial_hz:.1f}"
        come_from = command.arguments[1] if len(command.arguments) > 1 else ""
        if come_from and come_from not in SIDES:
            raise Refusal(-224, f"Illegal parameter value: {', '.join(SIDES)}")
        dial.point(number_of(command, low=1e3, high=1e9, unit="HZ"), come_from=come_from)
        self._keep()
        return None

    def _clip(self, command: Command) -> str | None:
        """An instrument's probe (counter, oscilloscope1, oscilloscope2) at a test point; NONE takes it off."""
        if not command.arguments or (not command.asks and len(command.arguments) < 2):
            raise Refusal(*MISSING)
        instrument = command.arguments[0].lower()
        if instrument not in PROBING:
            raise Refusal(-224, f"Illegal parameter value: no probe of {instrument[:40]}")
        if command.asks:
            return self._receiver.clips.get(instrument) or "NONE"
        point = "" if command.arguments[1] == "NONE" else command.arguments[1]
        try:
            self._receiver.clip(instrument, point)
        except KeyError:
            raise Refusal(-224, f"Illegal parameter value: nothing is seen at {point[:40]}") from None
        return None

    def _cover(self, command: Command) -> str | None:
        """Whether the screening cans are on."""
        if command.asks:
            return "0" if any(w.uncovered for w in self._receiver.chain.windings) else "1"
        self._receiver.cover(on=switch_of(command))
        return None

    def _blade(self, command: Command) -> str | None:
        """The core in which a steel blade stands; NONE for none."""
        if command.asks:
            return next((w.adjuster_id for w in self._receiver.chain.windings if w.blade), "NONE")
        if not command.arguments:
            raise Refusal(*MISSING)
        name = "" if command.arguments[0] == "NONE" else command.arguments[0]
        try:
            self._receiver.put_blade(name)
        except KeyError:
            raise Refusal(-224, f"Illegal parameter value: no core {name[:40]}") from None
        return None

    def _switch(self, command: Command) -> str | None:
        """A switch of the set, by its name, and the word that it is set to."""
        if not command.arguments or (not command.asks and len(command.arguments) < 2):
            raise Refusal(*MISSING)
        name = command.arguments[0]
        if command.asks:
            return self._receiver.switches.get(name, "NONE")
        if name not in self._receiver.switches and len(self._receiver.switches) >= MOST_SWITCHES:
            raise Refusal(*OUT_OF_RANGE)
        self._receiver.switches[name] = command.arguments[1]
        self._keep()
        return None

    def _probes(self, command: Command) -> str | None:
        """Where the meter's probes are: a test point against the chassis; across a part, in circuit or with one end lifted; or beyond
        a winding that the generator feeds through, with a capacitor held across it.
        """
        if command.asks:
            return self._receiver.probes.at or "NONE"
        if not command.arguments:
            raise Refusal(*MISSING)
        at = command.arguments[0]
        if at not in self._receiver.parts and not (self._receiver.supply and self._receiver.supply.knows(at)):
            raise Refusal(-224, f"Illegal parameter value: no point or part {at[:40]}")
        how = command.arguments[1:2]
        if how == ("THRU",):
            if self._receiver.tuned(at) is None:
                raise Refusal(-224, f"Illegal parameter value: {at[:40]} is no tuned winding")
            self._receiver.probes = Probes(at, lifted=True, through=True, clamped_f=self._clamped(command))
        else:
            self._receiver.probes = Probes(at, lifted=how != ("CIRC",))
        return None

    @staticmethod
    def _clamped(command: Command) -> float:
        try:
            farads = read_number(command.arguments[2]) if len(command.arguments) > 2 else 0.0
        except ValueError:
            raise Refusal(*BAD_DATA) from None
        if not 0.0 <= farads <= MOST_CLAMPED_F:
            raise Refusal(*OUT_OF_RANGE)
        return farads

    def _power(self, command: Command) -> str | None:
        supply = self._supply()
        if command.asks:
            return f"{supply.share:.3f}"
        supply.power(number_of(command, low=0.0, high=1.0))
        self._keep()
        return None

    def _let_pass(self, command: Command) -> str | None:
        if command.asks:
            return f"{self._receiver.clock.passed_s:.1f}"
        self._receiver.clock.let_pass(number_of(command, low=0.0, high=LONGEST_WAIT_S))
        self._keep()
        return None

    def _fit(self, command: Command) -> None:
        name, value = self._part_and(command, 1)
        self._receiver.parts.fit(name, value[0])
        self._receiver.retune()
        self._keep()

    def _wind(self, command: Command) -> None:
        name, (turns, wire_m) = self._part_and(command, 2)
        if "former" not in self._receiver.parts.data(name) or not 1.0 <= turns <= MOST_WINDING_TURNS or not 1e-5 < wire_m < 5e-3:
            raise Refusal(*OUT_OF_RANGE)
        self._receiver.parts.wind(name, turns=turns, wire_diameter_m=wire_m)
        self._receiver.retune()
        self._keep()

    def _former(self, command: Command) -> str:
        name, _ = self._part_and(command, 0)
        data = self._receiver.parts.data(name)
        if "former" not in data:
            raise Refusal(-241, f"Hardware missing: nobody has measured the former of {name[:40]}")
        former = data["former"]
        # As drawn, whatever became of it: an open winding's wire is still the wire it was wound with.
        ohm_a_metre = data["nominal"] / (math.pi * former["mean_diameter_m"] * former["turns"])
        return ",".join(f"{v:.4E}" for v in (former["mean_diameter_m"], former["length_m"], former["depth_m"], ohm_a_metre))

    def _across(self, command: Command) -> None:
        name, value = self._part_and(command, 1)
        self._receiver.parts.put_across(name, value[0])
        self._receiver.retune()
        self._keep()

    def _part_and(self, command: Command, count: int) -> tuple[str, list[float]]:
        if len(command.arguments) != count + 1:
            raise Refusal(*MISSING)
        if command.arguments[0] not in self._receiver.parts:
            raise Refusal(-224, f"Illegal parameter value: no part {command.arguments[0][:40]}")
        try:
            numbers = [read_number(a) for a in command.arguments[1:]]
        except ValueError:
            raise Refusal(*BAD_DATA) from None
        if any(n <= 0 for n in numbers):
            raise Refusal(*OUT_OF_RANGE)
        return command.arguments[0], numbers

    def _supply(self) -> Supply:
        if self._receiver.supply is None:
            raise Refusal(-241, "Hardware missing: this dossier describes no supply")
        return self._receiver.supply
