"""The instruments at work: one thread reads the meter, watches the links, sets what is to be set, and sweeps.

A link that is lost is a state with words, never a stop: it is tried again by itself, what was set is set again, and what was
read since the generator was last seen to be right is struck out.
"""

import contextlib
import threading
import time
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal, NamedTuple, Protocol

from calm_needle.bench.generator import Generator
from calm_needle.bench.identify import identify
from calm_needle.bench.millivoltmeter import Millivoltmeter
from calm_needle.bench.practice_set import Position, PracticeSet, SetTruth
from calm_needle.bench.transport import VisaTransport
from calm_needle.core.dossier.model import Step
from calm_needle.core.quantities import Quantity
from calm_needle.errors import CalmNeedleError, FieldsRefused, InstrumentError, InstrumentGone, InstrumentSilent, StoreUnusable
from calm_needle.work.clock import now_utc

READ_EVERY_S = 0.05
CHECK_EVERY_S = 0.4  # the generator is asked whether it still stands as set
RETRY_EVERY_S = 0.5
SETTLE_S = 0.6  # six times a meter's averaging: what is left of a step of 6 dB is 0.02 dB
SWEEP_SETTLE_S = 0.4  # between neighbouring points of a sweep the step is smaller
SWEEP_READINGS = 3
LEVEL_SLACK, FREQUENCY_SLACK_HZ = 0.01, 1.0

LinkStateName = Literal["absent", "ready", "lost", "silent", "odd"]


@dataclass(frozen=True)
class LinkState:
    """How an instrument is doing, and the sentence for the page."""

    kind: str
    state: LinkStateName
    words: str


class Wanted(NamedTuple):
    """What the run wants of the bench just now: its step, generator level (V), stage, and the visit readings belong to."""

    step: Step | None
    level_v: float | None
    stage: str
    visit_id: int | None


class Client(Protocol):
    """What the bench needs of the run it works for; all of it is safe between threads."""

    def wanted(self) -> Wanted: ...

    def take_reading(
        self,
        quantity: Quantity,
        positions: Mapping[str, Position],
        read_for: Wanted,
        *,
        instrument: str,
        generator_hz: float | None = None,
        kind: str = "live",
    ) -> None:
        """Keep a reading, unless the run has moved on since it was read."""

    def generator_lost(self, since_utc: str) -> None: ...

    def publish(self, *, changed: bool = False) -> None: ...


class LiveBench:
    """The instruments that are connected, and the thread that works them for one run at a time."""

    def __init__(self) -> None:
        self._lock = threading.RLock()  # instruments and position together: a reading and a turn never overlap
        self._cycle = threading.RLock()  # one round of the thread, from what is wanted to what was read
        self._wake = threading.Event()
        self._stop = threading.Event()
        self._client: Client | None = None
        self._generator: Generator | None = None
        self._meter: Millivoltmeter | None = None
        self._practice: PracticeSet | None = None
        self._states: dict[str, LinkState] = {}
        self.trouble: str | None = None  # why readings cannot be kept, for the page
        self._is_set = False
        self._set_seen_utc = now_utc()
        self._next_check_s = 0.0
        self._positions: dict[str, Position] = {}
        self._turnable: tuple[str, ...] | None = None  # the adjusters that the practice set has, once asked
        self._sweep: tuple[str, float, float, int] | None = None
        self._sweep_done: float | None = None
        self._thread: threading.Thread | None = None

    # Seen by pages.

    @property
    def states(self) -> list[LinkState]:
        return list(self._states.values())

    @property
    def has_practice_set(self) -> bool:
        return self._practice is not None

    def position_of(self, adjuster: str) -> Position | None:
        """Where an adjuster of the practice set stands, as last seen; None for one that nobody can see."""
        return self._positions.get(adjuster)

    @property
    def sweep_done(self) -> float | None:
        """How much of a running sweep is done (0..1), None when none runs."""
        return self._sweep_done

    @property
    def can_set(self) -> bool:
        return self._generator is not None

    @property
    def client(self) -> Client | None:
        return self._client

    def connect(self, resources: dict[str, str]) -> None:
        """Use these instruments (kind to VISA resource) from now on."""
        with self._lock:
            for old in (self._generator, self._meter, self._practice):
                if old:
                    old.close()
            links = {
                kind: VisaTransport(resource, name=kind.replace("-", " ").replace("ac ", "a.c. ")) for kind, resource in resources.items()
            }
            self._generator = Generator(links["generator"]) if "generator" in links else None
            self._meter = Millivoltmeter(links["ac-millivoltmeter"]) if "ac-millivoltmeter" in links else None
            self._practice = PracticeSet(links["practice-set"]) if "practice-set" in links else None
            self._states = {kind: LinkState(kind, "lost", "being connected") for kind in resources}
            self._is_set, self._next_check_s = False, 0.0
            self._positions, self._turnable = {}, None
        self._wake.set()

    def attach(self, client: Client | None) -> None:
        """Work for this run from now on."""
        with self._lock:
            if client is self._client:
                return
            self._client, self._is_set, self._sweep, self._sweep_done = client, False, None, None
            self._positions = {}
        if self._thread is None and client is not None:
            self._thread = threading.Thread(target=self._work, name="live bench", daemon=True)
            self._thread.start()
        self._wake.set()

    @contextlib.contextmanager
    def aside(self) -> Iterator[None]:
        """Stand aside while somebody else works the instruments, and goes on from what they left afterwards."""
        with self._cycle:
            yield

    def close(self) -> None:
        """Stop the thread, switch the generator's output off, and let go of the instruments."""
        self._stop.set()
        self._wake.set()
        if self._thread:
            self._thread.join(5.0)
        with self._lock:
            if self._generator and self._states.get("generator", LinkState("", "lost", "")).state == "ready":
                with contextlib.suppress(InstrumentError):  # it is gone already, and so is its signal
                    self._generator.set_output(False)
            for instrument in (self._generator, self._meter, self._practice):
                if instrument:
                    instrument.close()

    # Done by a person.

    def turn(self, adjuster: str, turns: float) -> Position:
        """Turn an adjuster of the practice set; the next reading follows at once."""
        if self._practice is None:
            raise FieldsRefused({"turns": "There is no practice set on this bench; turn the real core."})
        with self._lock:
            if adjuster not in self._adjusters():
                raise FieldsRefused({"turns": "The practice set cannot turn that adjuster yet; type what is read, or leave the step out."})
            position = self._positions[adjuster] = self._practice.turn(adjuster, turns)
        self._wake.set()
        return position

    def clear_wax(self, adjuster: str) -> None:
        if self._practice is not None:
            with self._lock:
                self._practice.clear_wax(adjuster)

    def set_everything(self, step: Step, level_v: float | None) -> None:
        """Set every instrument that can be set to what a step wants. Raises InstrumentError in words; nothing is taken as set then."""
        with self._lock:
            generator = step.set_up.source
            if self._generator and generator:
                self._generator.set_frequency(generator.frequency_hz)
                self._generator.set_level(level_v or generator.level_v)
                self._generator.set_amplitude_modulation(
                    depth=generator.depth if generator.modulation == "AM" else 0.0, tone_hz=generator.tone_hz or 400.0
                )
                self._generator.set_output(True)
            if self._practice and step.set_up.goes_in:
                self._practice.clip_lead(step.set_up.goes_in)
            self._is_set, self._set_seen_utc = True, now_utc()
            self._next_check_s = time.monotonic() + CHECK_EVERY_S
        # What is read while everything settles would be neither the old nor the new.
        self._stop.wait(SETTLE_S)
        self._wake.set()

    def start_sweep(self, step: Step) -> None:
        """Sweep the generator over a step's pass-band; the readings come by themselves."""
        generator = step.set_up.source
        if self._generator is None or self._meter is None or generator is None:
            raise FieldsRefused({"sweep": "A sweep needs a generator that the program can set, and a meter that it can read."})
        with self._lock:
            self._sweep = (step.id, generator.frequency_hz, step.passband_span_hz, step.passband_points)
            self._sweep_done = 0.0
        self._wake.set()

    def truth(self) -> SetTruth | None:
        """What a practice set knows of itself, or None for a real set."""
        if self._practice is None:
            return None
        try:
            with self._lock:
                return self._practice.truth()
        except InstrumentError:
            return None

    # The thread.

    def _work(self) -> None:
        while not self._stop.is_set():
            started = time.monotonic()
            pause = READ_EVERY_S
            try:
                with self._cycle:
                    pause = self._once()
                self._say(None)
            except InstrumentError as fault:
                self._note(fault)
                pause = RETRY_EVERY_S
            except StoreUnusable as fault:
                self._say(str(fault))
                pause = RETRY_EVERY_S
            except CalmNeedleError:
                # The run moved on between two lines of ours; the next time round sees where it is.
                pause = READ_EVERY_S
            self._wake.wait(max(0.0, pause - (time.monotonic() - started)))
            self._wake.clear()

    def _once(self) -> float:
        client = self._client
        if client is None:
            return RETRY_EVERY_S
        self._greet()
        wanted = client.wanted()
        step, level_v, stage, _ = wanted
        if step is None or stage != "step":
            return RETRY_EVERY_S
        self._keep_set(client, step, level_v)
        if self._sweep and self._sweep[0] == step.id:
            self._run_sweep(client)
            return READ_EVERY_S
        if self._meter:
            with self._lock:
                positions = self._where(step)
                volts = self._meter.volts()
            client.take_reading(Quantity(volts, "V"), positions, wanted, instrument=self._meter.name)
        return READ_EVERY_S

    def _greet(self) -> None:
        """Take up what was lost, one instrument after the other. When one is lost all are asked: they may hang on one plug."""
        instruments = {"generator": self._generator, "ac-millivoltmeter": self._meter, "practice-set": self._practice}
        if all(s.state == "ready" for s in self._states.values()):
            return
        fault: InstrumentError | None = None
        for kind, instrument in instruments.items():
            known = self._states.get(kind)
            if instrument is None or known is None:
                continue
            try:
                with self._lock:
                    words = instrument.identity()
            except InstrumentError as trouble:
                self._note(trouble, kind)
                fault = fault or trouble
                continue
            if kind == "generator" and known.state != "ready":
                self._is_set = False
            self._put(LinkState(kind, "ready", words))
        if fault:
            raise fault

    def _keep_set(self, client: Client, step: Step, level_v: float | None) -> None:
        """See that the generator stands as the step wants; set it again when it was lost, and say so when somebody turned it."""
        generator = step.set_up.source
        if self._generator is None or generator is None:
            return
        if not self._is_set:
            client.generator_lost(self._set_seen_utc)
            self.set_everything(step, level_v)
            return
        if time.monotonic() < self._next_check_s:
            return
        self._next_check_s = time.monotonic() + CHECK_EVERY_S
        with self._lock:
            found = self._generator.state()
        wanted_v = level_v or generator.level_v
        right = (
            abs(found.frequency_hz - generator.frequency_hz) <= FREQUENCY_SLACK_HZ
            and abs(found.level_v / wanted_v - 1.0) <= LEVEL_SLACK
            and found.output_on
        )
        if right:
            self._set_seen_utc = now_utc()
        else:
            self._is_set = False
            client.publish()

    def _run_sweep(self, client: Client) -> None:
        assert self._sweep and self._generator and self._meter
        step_id, centre, span, points = self._sweep
        try:
            for i in range(points):
                wanted = client.wanted()
                if self._stop.is_set() or self._client is not client or wanted.step is None or wanted.step.id != step_id:
                    return
                f = centre + span * (i / (points - 1) - 0.5)
                with self._lock:
                    self._generator.set_frequency(f)
                self._stop.wait(SWEEP_SETTLE_S)
                total = 0.0
                for _ in range(SWEEP_READINGS):
                    with self._lock:
                        total += self._meter.volts()
                    self._stop.wait(READ_EVERY_S)
                volts = Quantity(total / SWEEP_READINGS, "V")
                client.take_reading(volts, {}, wanted, instrument=self._meter.name, generator_hz=f, kind="sweep")
                self._sweep_done = (i + 1) / points
                client.publish()
            with self._lock:
                self._generator.set_frequency(centre)
            self._stop.wait(SETTLE_S)
        finally:
            self._sweep = self._sweep_done = None
            self._next_check_s = 0.0
            client.publish(changed=True)

    def _say(self, trouble: str | None) -> None:
        """Show, or take back, why readings cannot be kept."""
        if trouble != self.trouble:
            self.trouble = trouble
            if self._client:
                self._client.publish()

    def _where(self, step: Step) -> dict[str, Position]:
        """Where the step's adjusters stand, as far as the practice set has them; each is asked for once, and moves only by us."""
        if self._practice is None:
            return {}
        here = [a for a in step.adjusters if a in self._adjusters()]
        for adjuster in here:
            if adjuster not in self._positions:
                self._positions[adjuster] = self._practice.position(adjuster)
        return {a: self._positions[a] for a in here}

    def _adjusters(self) -> tuple[str, ...]:
        assert self._practice is not None
        if self._turnable is None:
            self._turnable = self._practice.adjusters()
        return self._turnable

    def _note(self, fault: InstrumentError, kind: str | None = None) -> None:
        lost = kind or fault.instrument.replace("a.c. ", "ac-").replace(" ", "-")
        name: LinkStateName = "lost" if isinstance(fault, InstrumentGone) else "silent" if isinstance(fault, InstrumentSilent) else "odd"
        if lost == "generator" or name == "lost":
            self._is_set = False
        self._put(LinkState(lost, name, str(fault)))

    def _put(self, state: LinkState) -> None:
        if self._states.get(state.kind) == state or state.kind not in self._states:
            return
        self._states[state.kind] = state
        if self._client:
            self._client.publish()


def find_out(resource: str) -> tuple[str, str]:
    """Return kind and identity of the instrument at a VISA resource name. Raises InstrumentError in words."""
    transport = VisaTransport(resource, name="instrument")
    try:
        return identify(transport)
    finally:
        transport.close()
