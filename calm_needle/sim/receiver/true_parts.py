"""What the parts of a practice set really measure: every value inside its tolerance by the seed, but for the faults it was given.

A fault comes from the dossier's simulation and is physical: a value that has drifted or was wrong from the start, a winding or resistor
that is open, a capacitor that leaks, the more the warmer.
"""

import math
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from calm_needle.core.dossier.model import Model
from calm_needle.core.physics.coils import COPPER_OHM_M

SPREAD = 0.3  # standard deviation, in tolerances
MOST = 0.85  # of the tolerance: a sound part is inside it with something in hand
SOUND_LEAK_OHM = 2e9
ONE_SIDED = {"insulation": 3.0, "contact": 0.3, "device": 1.05}  # what a sound one shows, times its limit
STOCK_SPREAD = 0.01  # of a new part
LEAST_COIL_SHARE = 0.02


@dataclass(frozen=True)
class TruePart:
    """A part as it is: its value (SI; Ω for windings), inductance of a winding (H), leak across it cold and warm (Ω), seconds to warm."""

    value: float
    l_h: float = 0.0
    leak_cold_ohm: float = SOUND_LEAK_OHM
    leak_warm_ohm: float = SOUND_LEAK_OHM
    leak_tau_s: float = 200.0

    @property
    def open(self) -> bool:
        return math.isinf(self.value)

    def leak_ohm(self, warm_s: float) -> float:
        """Return the leak after so many seconds of warming: its conductance grows towards that of the warm part."""
        grown = 1.0 - math.exp(-max(0.0, warm_s) / self.leak_tau_s)
        cold, warm = 1.0 / self.leak_cold_ohm, 1.0 / self.leak_warm_ohm
        return 1.0 / (cold + (warm - cold) * grown)


class TrueParts:
    """The parts of one practice set by id. `fit` puts a new one in, `wind` winds a coil anew."""

    def __init__(self, model: Model, *, seed: int, faults: Sequence[str] = ()) -> None:
        self._data = {p["id"]: p for p in model.raw.get("parts", ())}
        self._seed = seed
        self._parts = {name: _sound(data, random.Random(f"{seed} part {name}")) for name, data in self._data.items()}
        known = {f["id"]: f for f in model.simulation.get("faults", ())}
        for fault in faults:
            if fault in known:
                self._spoil(known[fault])
        self.fitted: dict[str, list[float]] = {}
        self._drifts = {str(known[f]["part"]): float(known[f]["share"]) for f in faults if f in known and known[f]["kind"] == "drift"}
        # Below which share of the shaft's travel the gang's oscillator section touches; above which frequency a tired oscillator gives up.
        self.gang_short_below = max(
            (float(known[f]["share"]) for f in faults if f in known and known[f]["kind"] == "gang-short"), default=0.0
        )
        tired = [float(known[f]["above_hz"]) for f in faults if f in known and known[f]["kind"] == "tired"]
        self.runs_below_hz = min(tired, default=math.inf)
        # What no tool moves any more.
        self.seized = tuple(str(known[f]["part"]) for f in faults if f in known and known[f]["kind"] == "seized")
        # Windings whose tuning capacitor inside the can is open, with what a person put across from outside.
        self.across_f: dict[str, float] = {
            str(known[f]["part"]): 0.0 for f in faults if f in known and known[f]["kind"] == "open-capacitor"
        }

    @classmethod
    def drawn(cls, model: Model) -> "TrueParts":
        """Return the parts exactly as they are drawn: a set that nobody has built."""
        parts = cls(model, seed=0)
        for name, data in parts._data.items():
            times = ONE_SIDED.get(data["kind"], 1.0)
            parts._parts[name] = replace(parts._parts[name], value=float(data["nominal"]) * times)
        return parts

    def __contains__(self, name: str) -> bool:
        return name in self._parts

    def __getitem__(self, name: str) -> TruePart:
        return self._parts[name]

    def drift(self, name: str) -> float:
        """Return by which share a part of a tank has drifted off what it was made to."""
        return self._drifts.get(name, 0.0)

    def is_open(self, name: str) -> bool:
        """Whether a part that is there carries nothing."""
        part = self._parts.get(name)
        return part is not None and part.open

    def data(self, name: str) -> Mapping[str, Any]:
        """Return what the dossier says of a part."""
        return dict(self._data[name])

    def insulated(self, name: str) -> str:
        """Return the part whose insulation a line of the sweep is about; the part itself for any other."""
        return str(self._data[name].get("of", name))

    def fit(self, name: str, value: float) -> None:
        """Put in a new part of this nominal value, sound. Of a winding it is the ohms; its inductance is the drawn one."""
        rng = random.Random(f"{self._seed} new {name} {value:.6g}")
        true = value * (1.0 + max(-2.0, min(2.0, rng.gauss(0.0, 1.0))) * STOCK_SPREAD)
        self._parts[name] = TruePart(true, l_h=float(self._data[name].get("l_h", 0.0)))
        self.fitted[name] = [value]
        for other, data in self._data.items():
            if data.get("of") == name:  # with the part, its insulation is new
                self._parts[other] = _sound(data, rng)

    def wind(self, name: str, *, turns: float, wire_diameter_m: float) -> TruePart:
        """Wind a coil anew on its former: L goes with the square of the turns, ohms with length over area of the copper."""
        former = self._data[name]["former"]
        length_m = math.pi * former["mean_diameter_m"] * turns
        ohm = COPPER_OHM_M * length_m / (math.pi * wire_diameter_m**2 / 4.0)
        l_h = max(LEAST_COIL_SHARE, (turns / former["turns"]) ** 2) * self._data[name]["l_h"]
        rng = random.Random(f"{self._seed} winding {name} {turns:.1f}")
        # A hand does not lay every turn as the maker's machine did.
        self._parts[name] = TruePart(ohm * (1.0 + rng.gauss(0.0, 0.01)), l_h=l_h * (1.0 + rng.gauss(0.0, 0.008)))
        self.fitted[name] = [turns, wire_diameter_m]
        return self._parts[name]

    def wound(self, name: str) -> float:
        """Return the inductance of a winding that was wound anew, times the drawn one; 1 for one that was not."""
        if len(self.fitted.get(name, ())) != 2:
            return 1.0
        return self._parts[name].l_h / float(self._data[name]["l_h"])

    def put_across(self, name: str, farads: float) -> None:
        """Put a capacitor across a winding from outside, in the place of what was there before; the one inside is lifted out."""
        self.across_f[name] = farads

    def restore(self, fitted: Mapping[str, Sequence[float]]) -> None:
        """Fit and wind again what had been: one number is a part's value, two are turns and wire."""
        for name, how in fitted.items():
            if name not in self._parts:
                continue
            if len(how) == 2:
                self.wind(name, turns=how[0], wire_diameter_m=how[1])
            else:
                self.fit(name, how[0])

    def _spoil(self, fault: Mapping[str, Any]) -> None:
        name = fault["part"]
        if name not in self._parts:  # a padder or a core, which the tank has
            return
        part = self._parts[name]
        match fault["kind"]:
            case "value":
                self._parts[name] = replace(part, value=float(fault["value"]))
            case "open":
                self._parts[name] = replace(part, value=math.inf, l_h=0.0)
            case "leak":
                self._parts[name] = replace(
                    part, leak_cold_ohm=fault["cold_ohm"], leak_warm_ohm=fault["warm_ohm"], leak_tau_s=fault.get("tau_s", 200.0)
                )


def _sound(data: Mapping[str, Any], rng: random.Random) -> TruePart:
    if data["kind"] in ONE_SIDED:
        return TruePart(data["nominal"] * ONE_SIDED[data["kind"]] * (1.0 + rng.uniform(-0.1, 0.1)))
    off = max(-MOST, min(MOST, rng.gauss(0.0, SPREAD))) * data["tolerance_percent"] / 100.0
    return TruePart(data["nominal"] * (1.0 + off), l_h=data.get("l_h", 0.0) * (1.0 + max(-0.03, min(0.03, rng.gauss(0.0, 0.01)))))
