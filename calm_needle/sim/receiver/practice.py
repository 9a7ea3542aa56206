"""The practice receiver: a dossier's set with hidden misalignment and true parts, fed by a generator, heard at the loudspeaker."""

import math
import random
import time
from collections.abc import Callable, Mapping, Sequence
from typing import Any, Literal, NamedTuple

from calm_needle.core.dossier.model import Model
from calm_needle.core.physics.coupling import crest_of_one
from calm_needle.core.physics.resonance import detuning
from calm_needle.sim.receiver.adjuster import Core
from calm_needle.sim.receiver.detection import Audio, controlled, detect
from calm_needle.sim.receiver.dip_jig import direct_volts
from calm_needle.sim.receiver.front_end import FrontEnd
from calm_needle.sim.receiver.strip import TYPICAL_BANDWIDTH_HZ, Strip
from calm_needle.sim.receiver.supply import Supply, drawn_slopes
from calm_needle.sim.receiver.transformer import Transformer, Winding
from calm_needle.sim.receiver.true_parts import TrueParts

Misalignment = Literal["none", "light", "moderate", "severe"]
# How far from right the cores were left (turns, least and most).
LEFT_OFF: dict[str, tuple[float, float]] = {"none": (0.0, 0.0), "light": (0.1, 0.3), "moderate": (0.35, 0.9), "severe": (0.9, 2.0)}
WAXED_LEFT_OFF = 0.3  # turns: nobody could move it far since the maker did
STRAY_F = 9e-12  # of valve, leads and the winding itself, where the capacitor is open
THROUGH_OPEN_WINDING = 1e-4  # what stray capacitance carries past it
LEAST_POLL_S = 1e-3  # s
STRIP, BEFORE_IT, OUTPUT = ("IFT",), ("L",), ("T",)  # the windings that a stage's valve feeds, by their names
SLOPES_STAND_S = 0.2  # s: rails do not change faster than that by warming
AERIAL = "aerial"  # a kind of stage
GENERATOR_OHM = 50.0
AVERAGING_S = 0.1  # s, of a meter fit for peaking
MEMORY_S = (0.3, 2.0)  # how long the slow part of a real needle's unrest lasts, least and most
QUICK_SHARE = 0.3  # of the unrest, that has no memory

# What a dossier without a simulation part is given: typical of valve sets of the class.
TYPICAL: dict[str, Any] = {
    "gain": {"mixer": 60.0, "if_amplifier": 150.0},
    "gain_control": {"threshold_v": 3.0, "slope": 5.0},
    "audio": {"detector_efficiency": 0.85, "gain": 0.6},
    "noise": {"flutter": 0.01},
}
TYPICAL_WINDING = {"c_f": 120e-12, "q": 80.0}
TYPICAL_KAPPA = 0.7
TYPICAL_SPREAD = 0.12  # of the inductance, each way from the middle of the travel


class Input(NamedTuple):
    """What the generator gives into the set."""

    frequency_hz: float
    level_v: float
    depth: float


class Probes(NamedTuple):
    """Where a meter's probes are: a test point or a part, in circuit or with one end lifted; or beyond a winding that the generator
    feeds through, with so much held across it for the test (F).
    """

    at: str
    lifted: bool
    through: bool = False
    clamped_f: float = 0.0


class PracticeClock:
    """Seconds, with those that a person let go by at a practice set."""

    def __init__(self, clock: Callable[[], float]) -> None:
        self._clock, self.passed_s = clock, 0.0

    def __call__(self) -> float:
        return self._clock() + self.passed_s

    def let_pass(self, seconds: float) -> None:
        self.passed_s += seconds


class Truth(NamedTuple):
    """What only the practice set knows."""

    peak_hz: float
    loss_db: float
    best_loss_db: float


class PracticeReceiver:
    """A simulated receiver. Turn its adjusters with turn(), feed it with `feed`, read it with audio() or reading()."""

    def __init__(
        self,
        model: Model,
        *,
        seed: int,
        misalign: Misalignment = "moderate",
        faults: Sequence[str] = (),
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self.model, self.seed = model, seed
        self.clock = PracticeClock(clock)
        self.parts = TrueParts(model, seed=seed, faults=faults)
        self.supply = Supply(model, self.parts, clock=self.clock) if "supply" in model.simulation else None
        self._drawn_slopes = drawn_slopes(model) if self.supply else {}
        self._slopes: tuple[float, dict[str, float]] = (-math.inf, {})
        self.probes = Probes("", lifted=True)
        self.filled_in = tuple(name for name in (*TYPICAL, "transformers") if name not in model.simulation)
        settings = {**TYPICAL, **model.simulation}
        self._control = settings["gain_control"]
        self._audio = settings["audio"]
        self._noise = settings["noise"]
        # At audio, half of what the strip lets through.
        self._noise_bandwidth_hz = (model.bandwidth_6db_hz or TYPICAL_BANDWIDTH_HZ) / 2.0
        self.lead: str | None = None
        self.feed = Input(model.if_hz, 0.0, 0.0)
        self.transformers = _transformers(model)
        self.strip = Strip(model, self.transformers, settings["gain"], self._noise)
        self.aerial_points = frozenset(p["id"] for p in model.raw.get("test_points", ())) | {
            p["id"] for stage in model.stages if stage.kind == AERIAL for p in stage.test_points
        }
        self.trap, self._trap_data = _trap(model)
        self._windings = {w.adjuster_id: w for t in self.transformers for w in (t.primary, t.secondary)}
        for name in model.simulation.get("waxed", ()):
            if name in self._windings:
                self._windings[name].core.waxed = True
        self._misalign(random.Random(f"{seed} misalignment"), misalign)
        self._tuned_f = {w.adjuster_id: w.c_f for w in self._windings.values()}
        self.retune()
        self.front_end = FrontEnd(model, self.parts, seed=seed, misalign=misalign)
        rng = random.Random(f"{seed} unrest")
        least, most = MEMORY_S
        # As often short as long: a share of the reading, and its memory.
        memory_s = float(self._noise.get("memory_s", least * (most / least) ** rng.random()))
        self._unrest = _Unrest(rng, share=float(self._noise.get("flutter", TYPICAL["noise"]["flutter"])), memory_s=memory_s)

    @property
    def cores(self) -> dict[str, Core]:
        """Every adjuster that can be turned, by its id."""
        cores = {name: w.core for name, w in self._windings.items()}
        if self.trap:
            cores[self.trap.adjuster_id] = self.trap.core
        return cores

    def retune(self) -> None:
        """Let every winding be what is really there: wound as it is, tuned by its own capacitor or by strays and what was put across."""
        for transformer in self.transformers:
            for end, winding in (("p", transformer.primary), ("s", transformer.secondary)):
                part = f"{transformer.name}-{end}"
                across_f = self.parts.across_f.get(part)
                winding.c_f = self._tuned_f[winding.adjuster_id] if across_f is None else STRAY_F + across_f
                winding.wound = self.parts.wound(part)

    def tuned(self, part: str) -> Winding | None:
        """Return the tuned winding that a part is; None for any other part."""
        return next((w for t in self.transformers for end, w in (("p", t.primary), ("s", t.secondary)) if f"{t.name}-{end}" == part), None)

    def inductance_h(self, part: str) -> float | None:
        """Return the inductance (H) of a winding as it stands, its core where it is; None where the dossier lets nothing follow."""
        if winding := self.tuned(part):
            return winding.inductance_h()
        return self.front_end.coil_h(part) or self.parts[part].l_h or None

    def beyond_winding_v(self) -> float:
        """Return the direct volts of a diode probe beyond the winding that the generator feeds through; none through another part."""
        winding = self.tuned(self.probes.at)
        if winding is None:
            return 0.0
        broken = self.probes.at in self.parts and self.parts[self.probes.at].open
        f, level, _ = self.feed
        return direct_volts(winding, f_hz=f, level_v=level, clamped_f=self.probes.clamped_f, broken=broken)

    def turn(self, adjuster_id: str, turns: float) -> bool:
        """Turn an adjuster; return whether it met its stop. Raises KeyError for one the set does not have."""
        return self.cores[adjuster_id].turn(turns)

    def takes_a_signal(self, point: str) -> bool:
        """Whether a generator can be clipped to a point: the aerial, or the input of a stage."""
        return point in self.aerial_points or self.strip.entry(point) is not None

    def strip_gain(self, f_hz: float, *, entry: int = 0) -> float:
        """Return the voltage gain from the input of a stage of the strip to the detector at f_hz, before the gain control."""
        gain = self.strip.gain(f_hz, entry=entry)
        for transformer in self.transformers:
            for end in ("p", "s"):
                if f"{transformer.name}-{end}" in self.parts and self.parts[f"{transformer.name}-{end}"].open:
                    gain *= THROUGH_OPEN_WINDING
        return float(gain)

    def audio(self) -> Audio:
        """Return what stands at the loudspeaker now, without the meter's unrest."""
        free = self.free_v()
        strip, output = self._alive(STRIP), self._alive(OUTPUT)
        carrier = controlled(free * math.sqrt(2.0), threshold_v=self._control["threshold_v"], slope=self._control["slope"])
        # The gain control turns the noise down with the signal.
        held = carrier / (free * math.sqrt(2.0)) if free > 0 else 1.0
        return detect(
            carrier_v=carrier,
            noise_v=self.noise_v() * held * strip,
            depth=self.feed.depth,
            efficiency=self._audio["detector_efficiency"],
            audio_gain=self._audio["gain"] * output,
        )

    def noise_v(self) -> float:
        """Return the noise at the detector (V r.m.s.) before gain control: of each stage, and of what stands at the input."""
        entry = self._entry()
        if entry is not None:
            return self.strip.noise_v(first_ohm=GENERATOR_OHM, entry=entry)
        return self.strip.noise_v(first_ohm=self.front_end.tank_ohm())

    def free_v(self) -> float:
        """Return the carrier (V r.m.s.) at the detector as it would be without gain control: all that reaches the strip, added up."""
        f, level, _ = self.feed
        entry = self._entry()
        if entry is not None:
            return level * self.strip_gain(f, entry=entry) * self._alive(STRIP)
        if self.lead not in self.aerial_points:
            return 0.0
        free = self._past_the_trap(f, level) * self.strip_gain(f) * self._alive(STRIP)
        mixed = self.front_end.mixed(f, emission=self.supply.emission() if self.supply and not self._granted else 1.0)
        if mixed is not None and mixed.frequency_hz > 0:
            free = math.hypot(free, level * mixed.gain * self.strip_gain(mixed.frequency_hz) * self._alive((*STRIP, *BEFORE_IT)))
        return free

    def _entry(self) -> int | None:
        return None if self.lead is None else self.strip.entry(self.lead)

    @property
    def _granted(self) -> bool:
        """Whether its power is taken for granted, all of it: nobody has switched it on by a safe start yet, or no circuit is known."""
        return self.supply is None or not self.supply.was_on or not self._drawn_slopes

    def _alive(self, kinds: Sequence[str]) -> float:
        """Return what the valves that feed windings of these kinds do, times what they would in a set as drawn: by rails and emission.

        1 for a set whose power is taken for granted; nothing of one that was switched off.
        """
        if self._granted:
            return 1.0
        if self.supply is not None and self.supply.share == 0.0:
            return 0.0
        assert self.supply is not None
        now = self.clock()
        if not 0.0 <= now - self._slopes[0] < SLOPES_STAND_S:
            self._slopes = now, self.supply.slopes()
        out = 1.0
        for winding, drawn in self._drawn_slopes.items():
            if winding.rstrip("0123456789-ps") in kinds:
                out *= self._slopes[1].get(winding, 0.0) / drawn
        return out

    def wander(self, *, share: float, memory_s: float) -> None:
        """Give the needle another unrest than the dossier's: a share of the reading (standard deviation), and its memory (s)."""
        self._unrest = _Unrest(random.Random(f"{self.seed} unrest"), share=share, memory_s=memory_s)

    def reading(self, *, dt_s: float, averaging_s: float = AVERAGING_S) -> float:
        """Return the volts r.m.s. of tone and noise together, dt_s after the reading before, for a meter that averages exponentially.

        Noise of bandwidth B leaves an r.m.s. meter of time constant T unsteady by 1 / sqrt(8 B T) of its share. What is handed to the
        meter's own averaging is so much the larger the shorter dt_s is, so that this holds at any polling.
        """
        tone, noise = self.audio()
        total = math.hypot(tone, noise)
        share = noise / total if total > 0 else 0.0
        taken = 1.0 - math.exp(-max(dt_s, LEAST_POLL_S) / averaging_s)
        hiss = share * math.sqrt((2.0 - taken) / taken / (8.0 * self._noise_bandwidth_hz * averaging_s))
        return total * max(0.0, 1.0 + self._unrest.slow(dt_s) + math.hypot(QUICK_SHARE * self._unrest.share, hiss) * self._unrest.quick())

    def truth(self) -> Truth:
        """Return where the strip peaks (Hz) and how far below the aligned gain it is at the nominal IF (dB), now and at best.

        At best: every core at its optimum within its reach, a waxed one where it is.
        """
        f = self.model.if_hz
        span = [f + (i - 400) * 25.0 for i in range(801)]
        peak = max(span, key=self.strip_gain)
        gain = math.prod(s.gain for s in self.strip.stages)
        ideal = math.prod(2.0 * t.kappa / (1.0 + t.kappa**2) for t in self.transformers)
        best = math.prod(_best_transfer(t, f) for t in self.transformers)
        return Truth(
            peak,
            20.0 * math.log10(gain * ideal / self.strip_gain(f)),
            20.0 * math.log10(ideal / best) if best else math.inf,
        )

    def state(self) -> dict[str, Any]:
        """Return what a receiver keeps when its instruments are unplugged: cores, wax, parts fitted, where the lead is clipped."""
        return {
            "seed": self.seed,
            "lead": self.lead,
            "fitted": self.parts.fitted,
            "across_f": self.parts.across_f,
            "passed_s": self.clock.passed_s,
            "band": self.front_end.band,
            "dial_hz": self.front_end.dial_hz,
            "share": self.supply.share if self.supply else None,
            "was_on": bool(self.supply and self.supply.was_on),
            "cores": {
                name: {"position_turns": c.position_turns, "tool_turns": c.tool_turns, "waxed": c.waxed} for name, c in self.cores.items()
            },
        }

    def restore(self, state: Mapping[str, Any]) -> None:
        """Put the receiver into a state that state() gave."""
        self.lead = state.get("lead")
        self.parts.restore(state.get("fitted", {}))
        self.parts.across_f |= {str(k): float(v) for k, v in state.get("across_f", {}).items()}
        self.retune()
        self.clock.passed_s = float(state.get("passed_s", 0.0))
        if state.get("band") in self.front_end.bands:
            self.front_end.select(str(state["band"]))
            self.front_end.point(float(state["dial_hz"]))
        if self.supply and state.get("share"):
            self.supply.power(float(state["share"]))
        if self.supply and state.get("was_on"):
            self.supply.was_on = True
        for name, kept in state.get("cores", {}).items():
            if name in self.cores:
                core = self.cores[name]
                core.position_turns = min(max(float(kept["position_turns"]), 0.0), core.travel_turns)
                core.tool_turns = float(kept["tool_turns"])
                core.waxed = bool(kept["waxed"])

    def _past_the_trap(self, f_hz: float, level_v: float) -> float:
        """Volts of the intermediate frequency itself that reach the mixer's grid from the aerial."""
        if self.trap is None:
            return 0.0
        a = detuning(f_hz=f_hz, f0_hz=self.trap.frequency_hz(), q_factor=self.trap.q_factor)
        through = abs((self._trap_data["depth"] + 1j * a) / (1.0 + 1j * a))
        return level_v * float(self._trap_data["breakthrough"]) * through

    def _misalign(self, rng: random.Random, misalign: Misalignment) -> None:
        least, most = LEFT_OFF[misalign]
        for winding in [*self._windings.values(), *([self.trap] if self.trap else [])]:
            right = winding.position_for(self.model.if_hz)
            off = rng.uniform(least, most) * rng.choice((-1.0, 1.0))
            if winding.core.waxed:
                off = min(max(off, -WAXED_LEFT_OFF), WAXED_LEFT_OFF)
            winding.core.position_turns = min(max(right + off, 0.2), winding.core.travel_turns - 0.2)


class _Unrest:
    """The unrest of a needle: a slow part, a share of the reading with a memory, and a quick one of standard deviation 1 without."""

    def __init__(self, rng: random.Random, *, share: float, memory_s: float) -> None:
        self._rng, self.share, self._memory_s = rng, share, memory_s
        self._slow = rng.gauss(0.0, 1.0)

    def slow(self, dt_s: float) -> float:
        keep = math.exp(-max(dt_s, 0.0) / self._memory_s)
        self._slow = keep * self._slow + math.sqrt(1.0 - keep * keep) * self._rng.gauss(0.0, 1.0)
        return self.share * self._slow

    def quick(self) -> float:
        return self._rng.gauss(0.0, 1.0)


def _best_transfer(transformer: Transformer, f_hz: float) -> float:
    """The highest |T| at f_hz that the two cores can reach, a waxed one held where it is: crests in turn, closed form."""
    kappa = transformer.kappa
    held = {w.adjuster_id: w.core.waxed for w in (transformer.primary, transformer.secondary)}
    if kappa > 1.0 and not any(held.values()):
        return 1.0  # beyond critical coupling the best at one frequency has both off it, on one of the two humps
    a = [
        detuning(f_hz=f_hz, f0_hz=w.frequency_hz(), q_factor=w.q_factor) if held[w.adjuster_id] else 0.0
        for w in (transformer.primary, transformer.secondary)
    ]
    if held[transformer.primary.adjuster_id] and not held[transformer.secondary.adjuster_id]:
        a[1] = crest_of_one(a_partner=a[0], kappa=kappa)
    if held[transformer.secondary.adjuster_id] and not held[transformer.primary.adjuster_id]:
        a[0] = crest_of_one(a_partner=a[1], kappa=kappa)
    return abs(2.0 * kappa / ((1.0 + 1j * a[0]) * (1.0 + 1j * a[1]) + kappa * kappa))


def _transformers(model: Model) -> list[Transformer]:
    names: list[str] = []
    for adjuster in model.adjusters:
        if adjuster.transformer and adjuster.transformer not in names:
            names.append(adjuster.transformer)
    described = model.simulation.get("transformers", {})
    out = []
    for name in names:
        data = described.get(name, {"kappa": TYPICAL_KAPPA})
        windings = {a.winding: _winding(model, a.id, a.travel_turns, data.get(a.winding)) for a in model.adjusters if a.transformer == name}
        if "primary" in windings and "secondary" in windings:
            out.append(Transformer(name, data["kappa"], windings["primary"], windings["secondary"]))
    return out


def _winding(model: Model, adjuster_id: str, travel_turns: float | None, data: Mapping[str, float] | None) -> Winding:
    if data is None:
        middle = 1.0 / ((2.0 * math.pi * model.if_hz) ** 2 * TYPICAL_WINDING["c_f"])
        data = {**TYPICAL_WINDING, "l_min_h": middle * (1.0 - TYPICAL_SPREAD), "l_max_h": middle * (1.0 + TYPICAL_SPREAD)}
    travel = travel_turns or 12.0
    return Winding(adjuster_id, data["c_f"], data["q"], Core(data["l_min_h"], data["l_max_h"], travel, travel / 2.0))


def _trap(model: Model) -> tuple[Winding | None, Mapping[str, float]]:
    data = model.simulation.get("trap")
    adjuster = next((a for a in model.adjusters if a.kind == "trap"), None)
    if data is None or adjuster is None:
        return None, {}
    return _winding(model, adjuster.id, adjuster.travel_turns, data), data
