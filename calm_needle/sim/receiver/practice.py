"""The practice receiver: a dossier's set with hidden misalignment and true parts, fed by a generator, heard at the loudspeaker."""

import math
import random
import time
from collections.abc import Callable, Mapping, Sequence
from typing import Any, Literal, NamedTuple

from calm_needle.core.dossier.model import TUNING_ID, Model
from calm_needle.sim.receiver.adjuster import Adjuster, Core
from calm_needle.sim.receiver.band_tank import LEFT_OFF as TANKS_LEFT_OFF
from calm_needle.sim.receiver.chain import Chain, Seen
from calm_needle.sim.receiver.circuits import TYPICAL, TYPICAL_BANDWIDTH_HZ
from calm_needle.sim.receiver.dial import Dial, along
from calm_needle.sim.receiver.dip_jig import direct_volts
from calm_needle.sim.receiver.made import make
from calm_needle.sim.receiver.signal import Now, Wave
from calm_needle.sim.receiver.stages.detector import Audio
from calm_needle.sim.receiver.stages.stage import Stage
from calm_needle.sim.receiver.supply import Supply, drawn_slopes
from calm_needle.sim.receiver.transformer import STRAY_F, Winding
from calm_needle.sim.receiver.true_parts import TrueParts
from calm_needle.sim.receiver.truth import Truth, truth_of
from calm_needle.sim.receiver.two_port import pads
from calm_needle.sim.receiver.unrest import DISTURBANCES, QUICK_SHARE, Unrest, Wavering

Misalignment = Literal["none", "light", "moderate", "severe"]
# How far from right the cores were left (turns, least and most).
LEFT_OFF: dict[str, tuple[float, float]] = {"none": (0.0, 0.0), "light": (0.1, 0.3), "moderate": (0.35, 0.9), "severe": (0.9, 2.0)}
WAXED_LEFT_OFF = 0.3  # turns: nobody could move it far since the maker did
LEAST_POLL_S = 1e-3  # s
SLOPES_STAND_S = 0.2  # s: rails do not change faster than that by warming
GENERATOR_OHM = 50.0
AVERAGING_S = 0.1  # s, of a meter fit for peaking
TONE_HZ = 400.0
LOOP = "loop "
# What a set is given beside its faults: nobody has touched its tanks since its maker had every part of them as drawn.
AS_DRAWN = "tanks-as-drawn"
STRIP_ALIGNED = "strip-aligned"  # what a set is given beside its faults: somebody has aligned its strip, and nothing else


class Input(NamedTuple):
    """What the generator gives into the set."""

    frequency_hz: float
    level_v: float
    depth: float
    tone_hz: float = TONE_HZ
    deviation_hz: float = 0.0


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


class PracticeReceiver:
    """A simulated receiver. Turn its adjusters with turn(), feed it with `feed`, read it with audio() or reading(), look() at any point."""

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
        self.clips: dict[str, str] = {}
        self.switches: dict[str, str] = {}
        self.lead: str | None = None
        self.pads_db: tuple[float, ...] = ()  # of the step attenuator between generator and lead, those that are thrown
        self.feed = Input(model.if_hz, 0.0, 0.0)
        self.chain = Chain(model, self.parts, seed=seed)
        self.filled_in = self.chain.filled_in
        printed = self.chain.oscillator.tanks if self.chain.oscillator else {}
        self.dial = Dial(model, printed)
        tuning: dict[str, Adjuster] = {TUNING_ID: self.dial.tuning} if self.dial.band else {}
        self.adjusters: dict[str, Adjuster] = {**self.chain.adjusters, **tuning}  # cores, trimmers, padders, presets, and the tuning
        as_drawn = misalign == "none" or AS_DRAWN in faults
        make(model, self.chain, self.dial, self.parts, seed=seed, spread=not as_drawn)
        self._misalign(misalign, tanks="none" if as_drawn else misalign)
        if STRIP_ALIGNED in faults:
            self.align_strip()
        self.retune()
        noise = {**TYPICAL["noise"], **model.simulation.get("noise", {})}
        # At audio, half of what the strip lets through.
        self._noise_bandwidth_hz = (model.bandwidth_6db_hz or TYPICAL_BANDWIDTH_HZ) / 2.0
        disturbed = [DISTURBANCES[f][1](random.Random(f"{seed} {f}")) for f in faults if f in DISTURBANCES]
        self._wavering = Wavering(Unrest.of_a_set(seed, noise), disturbed)

    def retune(self) -> None:
        """Let every winding be what is really there: wound as it is, tuned by its own capacitor or by strays and what was put across."""
        for winding in self.chain.windings:
            across_f = self.parts.across_f.get(winding.part)
            winding.c_f = winding.drawn_f if across_f is None else STRAY_F + across_f
            winding.wound = self.parts.wound(winding.part)

    def tuned(self, part: str) -> Winding | None:
        """Return the tuned winding that a part is; None for any other part."""
        return next((w for w in self.chain.windings if w.part and w.part == part), None)

    def inductance_h(self, part: str) -> float | None:
        """Return the inductance (H) of a winding as it stands, its core where it is; None where the dossier lets nothing follow."""
        if winding := self.tuned(part):
            return winding.inductance_h()
        tanks = (t for s in self.chain.all for t in s.tanks.values())
        return next((t.l_h for t in tanks if t.coil == part), None) or self.parts[part].l_h or None

    def beyond_winding_v(self) -> float:
        """Return the direct volts of a diode probe beyond the winding that the generator feeds through; none through another part."""
        winding = self.tuned(self.probes.at)
        if winding is None:
            return 0.0
        broken = self.probes.at in self.parts and self.parts[self.probes.at].open
        return direct_volts(winding, f_hz=self.feed.frequency_hz, level_v=self.feed.level_v, clamped_f=self.probes.clamped_f, broken=broken)

    def turn(self, adjuster_id: str, turns: float) -> bool:
        """Turn an adjuster; return whether it met its stop. Raises KeyError for one the set does not have."""
        return self.adjusters[adjuster_id].turn(turns)

    def takes_a_signal(self, point: str) -> bool:
        """Whether a generator can be clipped to a point: the aerial, or the input of a stage."""
        return self.chain.entry(point) is not None

    def cover(self, *, on: bool) -> None:
        """Put the screening cans and what stands over the oscillator on, or take them off."""
        for winding in self.chain.windings:
            winding.uncovered = not on
        if self.chain.oscillator is not None:
            self.chain.oscillator.cover(on=on)

    def put_blade(self, adjuster_id: str) -> None:
        """Stand a steel blade in a core, and out of every other; «» takes it out. Raises KeyError for one that is no core."""
        cores = {w.adjuster_id: w for w in self.chain.windings}
        if adjuster_id and adjuster_id not in cores:
            raise KeyError(adjuster_id)
        for name, winding in cores.items():
            winding.blade = name == adjuster_id

    def clip(self, instrument: str, point: str) -> None:
        """Clip an instrument's probe to a point, or take it off («»); "loop STAGE": a loop beside a stage, that picks up what is near and
        hangs on nothing. Raises KeyError for a point or stage that the set does not have.
        """
        if point and not self.chain.knows(point) and not self.chain.has(point.removeprefix(LOOP)):
            raise KeyError(point)
        self.clips[instrument] = point

    def look(self, instrument: str, *, farads: float) -> Seen:
        """Return what stands at the point that an instrument's probe is clipped to, the probe hanging so much on it; nothing in the air."""
        point = self.clips.get(instrument, "")
        if point.startswith(LOOP):
            entry, _ = self._entry()
            return self.chain.near(point.removeprefix(LOOP), self._wave(), self.now(), entry=entry)
        if not point or (self.supply and self.supply.decoupled(point)):
            return Seen((), 0.0)
        self.chain.probe(point, farads)
        try:
            entry, source_ohm = self._entry()
            return self.chain.look(point, self._wave(), self.now(), entry=entry, source_ohm=source_ohm)
        finally:
            self.chain.probe(point, 0.0)

    def direct_v(self, instrument: str) -> float:
        """Return the direct volts at the point that an instrument's probe is clipped to; 0 where the circuit is not known."""
        point = self.clips.get(instrument, "")
        return self.supply.volts(point) if self.supply and point and self.supply.knows(point) else 0.0

    def stand(
        self,
        *,
        band: str | None = None,
        dial_hz: float | None = None,
        come_from: str = "",
        switches: Mapping[str, str] | None = None,
    ) -> None:
        """Switch to a band, bring the pointer to a mark, set what the set has of other switches; what is not known is left."""
        if band in self.dial.bands and band != self.dial.band:
            self.dial.select(str(band))
        if dial_hz and self.dial.band:
            self.dial.point(dial_hz, come_from=come_from)
        self.switches |= switches or {}

    def strip_gain(self, f_hz: float, *, entry: int | None = None) -> float:
        """Return the voltage gain to the detector at f_hz, from the mixer's input or that of another link, before the gain control."""
        return self.chain.gain(f_hz, self.now(), entry=self.chain.mixer if entry is None else entry)

    def audio(self) -> Audio:
        """Return what stands at the loudspeaker now, without the meter's unrest."""
        entry, source_ohm = self._entry()
        return self.chain.audio(self._wave(), self.now(), entry=entry, source_ohm=source_ohm)

    def sounds(self) -> tuple[Audio, list[tuple[float, float]]]:
        """Return what stands at the loudspeaker now, and beside the tone the whistle of each other carrier there (Hz, V r.m.s.)."""
        entry, source_ohm = self._entry()
        return self.chain.sounds(self._wave(), self.now(), entry=entry, source_ohm=source_ohm)

    def noise_v(self) -> float:
        """Return the noise at the detector (V r.m.s.) before gain control: of each stage, and of what stands at the input."""
        entry, source_ohm = self._entry()
        return self.chain.noise_v(self.now(), entry=entry, source_ohm=source_ohm)

    def free_v(self) -> float:
        """Return the carrier (V r.m.s.) at the detector as it would be without gain control: all that reaches it, added up."""
        entry, _ = self._entry()
        waves = self.chain.waves_at(len(self.chain.stages), self._wave(), self.now(), entry=entry)
        return math.sqrt(sum(w.v * w.v for w in waves))

    def strength(self) -> float:
        """Return what a signal-strength meter shows (dB): how far the gain control has drawn the gain back."""
        now, _ = self.chain.settle(self._wave(), self.now(), entry=self._entry()[0])
        return 20.0 * now.slope * math.log10(now.drawn_back)

    def oscillator_hz(self) -> float | None:
        """Return where the oscillator runs (Hz); None where it does not."""
        return self.now().oscillator_hz

    def now(self) -> Now:
        """Return how the set stands, nothing drawn back."""
        alive = self._alive()
        gang_f = self.dial.gang_f()
        oscillator = self.chain.oscillator
        runs_hz = (
            oscillator.runs_at_hz(self.dial.band, gang_f, emission=alive[""], heated_s=self._heated_s())
            if oscillator and self.dial.band and not self._gang_touches()
            else None
        )
        sections_f = {name: self.dial.gang_f(section=name) for name in self.dial.sections}
        return Now(self.dial.band, gang_f, runs_hz, 1.0, self.chain.slope, alive, self.switches, sections_f)

    def _gang_touches(self) -> bool:
        """Whether the plates of the oscillator's section touch where the shaft stands."""
        below = self.parts.gang_short_below
        return below > 0.0 and along(self.dial.bands[self.dial.band], self.dial.dial_hz) < below

    def _heated_s(self) -> float:
        """How long it has warmed (s); for ever, where its power is taken for granted."""
        return math.inf if self._granted or self.supply is None else self.supply.heated_s()

    def _wave(self) -> Wave:
        f, level, depth, tone_hz, deviation_hz = self.feed
        there = self.lead is not None and self.chain.entry(self.lead) is not None
        # The generator's volts are those behind its resistance; a grid, and an aerial behind its dummy, hardly load it.
        reaches = pads(self.pads_db).open_share(source_ohm=GENERATOR_OHM) if self.pads_db else 1.0
        return Wave(f, level * reaches if there else 0.0, depth, deviation_hz, tone_hz)

    def _entry(self) -> tuple[int, float]:
        """Where the generator goes in, and with what resistance; the aerial's own where it does not."""
        entry = None if self.lead is None else self.chain.entry(self.lead)
        return (0, 0.0) if entry is None or entry == 0 else (entry, GENERATOR_OHM)

    @property
    def _granted(self) -> bool:
        """Whether its power is taken for granted, all of it: nobody has switched it on by a safe start yet, or its circuit is senseless."""
        return self.supply is None or not self.supply.was_on or self._drawn_slopes is None

    def _alive(self) -> dict[str, float]:
        """Return what each valve does, times what it would in a set as drawn, by the winding that feeds it: by rails and emission.

        1 for a set whose power is taken for granted; nothing of one that was switched off. By «», what any other does.
        """
        if self._granted:
            return {"": 1.0}
        assert self.supply is not None
        if self.supply.share == 0.0:
            return {"": 0.0}
        now = self.clock()
        if not 0.0 <= now - self._slopes[0] < SLOPES_STAND_S:
            drawn_slopes = self._drawn_slopes or {}
            slopes = self.supply.slopes() if drawn_slopes else {}
            alive = {winding: slopes.get(winding, 0.0) / drawn for winding, drawn in drawn_slopes.items()}
            self._slopes = now, {**alive, "": self.supply.emission()}
        return self._slopes[1]

    def wander(self, *, share: float, memory_s: float) -> None:
        """Give the needle another unrest than the dossier's: a share of the reading (standard deviation), and its memory (s)."""
        self._wavering.unrest = Unrest(random.Random(f"{self.seed} unrest"), share=share, memory_s=memory_s)

    def wavering(self, reader: str, dt_s: float) -> tuple[float, float]:
        """Return by what the tone is multiplied by itself now, and by which share everything is more, dt_s after that reader last asked."""
        return self._wavering.go(reader, dt_s)

    def reading(self, *, dt_s: float, averaging_s: float = AVERAGING_S) -> float:
        """Return the volts r.m.s. of tone and noise together, dt_s after the reading before, for a meter that averages exponentially.

        Noise of bandwidth B leaves an r.m.s. meter of time constant T unsteady by 1 / sqrt(8 B T) of its share. What is handed to the
        meter's own averaging is so much the larger the shorter dt_s is, so that this holds at any polling.
        """
        tone, noise, _ = self.audio()
        gain, slow = self.wavering("meter", dt_s)
        unrest = self._wavering.unrest
        total = math.hypot(tone * gain, noise)
        share = noise / total if total > 0 else 0.0
        taken = 1.0 - math.exp(-max(dt_s, LEAST_POLL_S) / averaging_s)
        hiss = share * math.sqrt((2.0 - taken) / taken / (8.0 * self._noise_bandwidth_hz * averaging_s))
        return total * max(0.0, 1.0 + slow + math.hypot(QUICK_SHARE * unrest.share, hiss) * unrest.quick())

    def truth(self) -> Truth:
        """Return where the strip peaks (Hz) and how far below the aligned gain it is at the nominal IF (dB), now and at best."""
        return truth_of(self.chain, self.now(), if_hz=self.model.if_hz)

    def state(self) -> dict[str, Any]:
        """Return what a receiver keeps when its instruments are unplugged: cores, wax, parts fitted, where the lead is clipped."""
        return {
            "seed": self.seed,
            "lead": self.lead,
            "fitted": self.parts.fitted,
            "across_f": self.parts.across_f,
            "passed_s": self.clock.passed_s,
            "band": self.dial.band,
            "dial_hz": self.dial.dial_hz,
            "switches": self.switches,
            "share": self.supply.share if self.supply else None,
            "warmth": self.supply.warmth() if self.supply else None,
            "was_on": bool(self.supply and self.supply.was_on),
            "cores": {
                name: {"position_turns": a.position_turns, "tool_turns": a.tool_turns, "waxed": a.waxed}
                for name, a in self.adjusters.items()
            },
        }

    def restore(self, state: Mapping[str, Any]) -> None:
        """Put the receiver into a state that state() gave."""
        self.lead = state.get("lead")
        self.parts.restore(state.get("fitted", {}))
        self.parts.across_f |= {str(k): float(v) for k, v in state.get("across_f", {}).items()}
        self.retune()
        self.clock.passed_s = float(state.get("passed_s", 0.0))
        self.switches = {str(k): str(v) for k, v in state.get("switches", {}).items()}
        if state.get("band") in self.dial.bands:
            self.dial.select(str(state["band"]))
        if self.supply and state.get("share"):
            self.supply.power(float(state["share"]))
        if self.supply and state.get("warmth"):
            self.supply.warmed(*(float(w) for w in state["warmth"]))
        if self.supply and state.get("was_on"):
            self.supply.was_on = True
        for name, kept in state.get("cores", {}).items():
            if name in self.adjusters:
                adjuster = self.adjusters[name]
                adjuster.position_turns = min(max(float(kept["position_turns"]), 0.0), adjuster.travel_turns)
                adjuster.tool_turns = float(kept["tool_turns"])
                adjuster.waxed = bool(kept["waxed"])
        if state.get("band") in self.dial.bands:
            self.dial.point(float(state["dial_hz"]))

    def _misalign(self, misalign: Misalignment, *, tanks: Misalignment) -> None:
        """Put everything where its maker had it, and then as far off as somebody left it."""
        waxed = set(self.model.simulation.get("waxed", ()))
        for stage in self.chain.all:
            stage.align(self.model.if_hz)
        rng = random.Random(f"{self.seed} misalignment")
        least, most = LEFT_OFF[misalign]
        for name, core in self._cores():
            core.waxed = name in waxed
            off = rng.uniform(least, most) * rng.choice((-1.0, 1.0))
            if core.waxed:
                off = min(max(off, -WAXED_LEFT_OFF), WAXED_LEFT_OFF)
            core.position_turns = min(max(core.position_turns + off, 0.2), core.travel_turns - 0.2)
        for band in self.dial.bands:
            rng = random.Random(f"{self.seed} tanks {band}")
            # The oscillator is listed behind the aerial circuit, and was left off before it.
            for stage in sorted(self.chain.all, key=lambda s: s is not self.chain.oscillator):
                if band in stage.tanks:
                    stage.tanks[band].leave_off(rng, TANKS_LEFT_OFF[tanks])
        for name in self.parts.seized:
            seized = self.adjusters.get(name)
            if isinstance(seized, Core):
                seized.seized = True

    def align_strip(self) -> None:
        """Bring the strip, from the mixer on, to where its maker had it: the phase before those of dial and front end."""
        for stage in self.chain.stages[self.chain.mixer :]:
            stage.align(self.model.if_hz)

    def _cores(self) -> list[tuple[str, Core]]:
        """The cores of the fixed windings: of the strip from the mixer on, and then those before it."""
        strip = self.chain.stages[self.chain.mixer :]
        before: list[Stage] = [s for s in self.chain.all if s not in strip]
        return [(w.adjuster_id, w.core) for s in (*strip, *before) for w in s.windings]
