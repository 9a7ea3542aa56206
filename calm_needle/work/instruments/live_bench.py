"""The instruments at work: one thread reads the meter, watches the links, sets what is to be set, and sweeps.

A link that is lost is a state with words, never a stop: it is tried again by itself, what was set is set again, and what was
read since an instrument was last seen to be right is struck out. The thread itself outlives everything but a stop: whatever goes
wrong is said on the page, and it goes on.
"""

import contextlib
import logging
import threading
from collections import deque
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple, Protocol

from calm_needle.bench.oscilloscope import Oscilloscope, Trace
from calm_needle.bench.practice_set import Position, SetTruth
from calm_needle.clock import Worker
from calm_needle.core.description import Description
from calm_needle.core.dossier.model import Step
from calm_needle.core.procedure.judge import Swing
from calm_needle.core.procedure.kinds.table import KINDS
from calm_needle.core.procedure.set_up import Setting
from calm_needle.core.quantities import Quantity
from calm_needle.errors import CalmNeedleError, EarsClosed, EarsUnsure, FieldsRefused, InstrumentError, InstrumentNonsense, StoreUnusable
from calm_needle.work.instruments.equipment import Equipment, LinkState, Read

READ_EVERY_S = 0.05
CHECK_EVERY_S = 0.4  # the generator is asked whether it still stands as set, the meter whether it is in step
RETRY_EVERY_S = 0.5
LOOK_AGAIN_S = 5.0  # while nobody looks; whoever opens the page wakes the thread
SETTLE_S = 0.6  # six times a meter's averaging: what is left of a step of 6 dB is 0.02 dB
SWEEP_SETTLE_S = 0.4  # between neighbouring points of a sweep the step is smaller
SWEEP_READINGS = 3
HEARD_AGAIN_S = 5.0
GIVEN_UP_S = 30.0  # after which a sweep that comes no further ends
REMEMBERED = 200  # moves of the hand
RANGES_V = tuple(m * 10.0**e for e in range(-2, 3) for m in (1.0, 2.0, 5.0))  # of an oscilloscope, the whole height
WIDEST_V, LEAST_HIGH_V, ROOM, LOOKS = 400.0, 1e-3, 1.25, 2
TRUTH_S = 0.3  # how long a page waits for a practice set that is being worked

log = logging.getLogger(__name__)


class Wanted(NamedTuple):
    """What the run wants of the bench just now: its step and settings, generator level (V), stage, the visit readings belong to."""

    step: Step | None
    settings: Sequence[Setting]
    level_v: float | None
    stage: str
    visit_id: int | None


class Client(Protocol):
    """What the bench needs of the run it works for; all of it is safe between threads."""

    def wanted(self) -> Wanted: ...

    def mark(self) -> int:
        """The newest reading that was kept: what comes after it can be struck out by `distrust`."""

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

    def distrust(self, after: int, reason: str) -> None: ...

    def publish(self, *, changed: bool = False) -> None: ...

    def watched(self) -> bool:
        """Whether somebody looks at the run."""


@dataclass(eq=False)
class _Sweep:
    """A sweep that was asked for: for which step, where its generator goes back to (Hz), over what; how many points of it are read, how far
    it ever came, and when (s) that was."""

    step_id: str
    own_hz: float
    swing: Swing
    came_at_s: float
    points_read: int = 0
    came: int = 0


class LiveBench:
    """The thread that works the instruments for one run at a time."""

    def __init__(self, equipment: Equipment) -> None:
        self.equipment = equipment
        self._clock = equipment.clock
        self._wake, self._stop = self._clock.event(), self._clock.event()
        self._client: Client | None = None
        self.trouble: str | None = None  # why readings cannot be kept, for the page
        self._is_set = False
        self._set_mark = self._step_mark = 0  # the newest reading when the generator stood right, when the meter was in step
        self._next_check_s = 0.0
        self._positions: dict[str, Position] = {}
        self._moved: deque[tuple[float, str, Position]] = deque(maxlen=REMEMBERED)  # when, which, where to
        self._turnable: tuple[str, ...] | None = None  # the adjusters that the practice set has, once asked
        self._sweep: _Sweep | None = None
        self._sweep_lock = threading.Lock()
        self._thread: Worker | None = None

    # Seen by pages.

    @property
    def states(self) -> list[LinkState]:
        return self.equipment.states

    @property
    def has_practice_set(self) -> bool:
        return self.equipment.practice is not None

    def position_of(self, adjuster: str) -> Position | None:
        """Where an adjuster of the practice set stands, as last seen; None for one that nobody can see."""
        return self._positions.get(adjuster)

    @property
    def sweep_done(self) -> float | None:
        """How much of a running sweep is done (0..1), None when none runs."""
        sweep = self._sweep
        return sweep.points_read / sweep.swing.points if sweep else None

    @property
    def can_set(self) -> bool:
        return self.equipment.generator is not None

    @property
    def client(self) -> Client | None:
        return self._client

    def connect(self, resources: dict[str, str], descriptions: Mapping[str, Description] | None = None) -> None:
        """Use these instruments (kind to VISA resource; some by their description) from now on."""
        with self.equipment.lock:
            self.equipment.connect(resources, descriptions)
            self._is_set, self._next_check_s = False, 0.0
            self._positions, self._turnable = {}, None
        self._wake.set()

    def listen(self, on: bool) -> None:
        """Let the ears be the meter at the output, or no longer; what another meter read at the step in hand does not compare."""
        if on == self.equipment.by_ear:
            return
        self.equipment.listen(on)
        if self._client is not None:
            self._client.distrust(0, "it is read by another instrument from here")
        self._wake.set()

    def attach(self, client: Client | None) -> None:
        """Work for this run from now on. The thread is started, and started again should it ever have ended."""
        if client is not self._client:
            # No lock: a page that is opened never waits for an instrument that is being asked.
            self._set_mark = self._step_mark = client.mark() if client else 0
            self._positions, self._is_set, self._sweep = {}, False, None
            self._client = client
        if client is not None and not self._stop.is_set() and (self._thread is None or not self._thread.is_alive()):
            self._thread = self._clock.start(self._work, name="live bench")
        self._wake.set()

    def close(self) -> None:
        """Stop the thread, switch the generator's output off, and let go of the instruments."""
        self._stop.set()
        self._wake.set()
        if self._thread:
            self._thread.join(5.0)
        self.equipment.leave_safe()
        self.equipment.close()

    # Done by a person.

    def turn(self, adjuster: str, turns: float) -> Position:
        """Turn an adjuster of the practice set; the next reading follows at once."""
        practice = self.equipment.practice
        if practice is None:
            raise FieldsRefused({"turns": "There is no practice set on this bench; turn the real core."})
        with self.equipment.lock:
            if adjuster not in self._adjusters():
                raise FieldsRefused({"turns": "The practice set cannot turn that adjuster yet; type what is read, or leave the step out."})
            position = self._positions[adjuster] = practice.turn(adjuster, turns)
            self._moved.append((self._clock.monotonic(), adjuster, position))
        self._wake.set()
        return position

    def clear_wax(self, adjuster: str) -> None:
        practice = self.equipment.practice
        if practice is not None:
            with self.equipment.lock:
                practice.clear_wax(adjuster)

    def set_everything(self, wanted: Sequence[Setting]) -> None:
        """Set every instrument that can be set to what a step wants. Raises InstrumentError in words; nothing is taken as set then."""
        self.equipment.apply(wanted)
        client = self._client
        self._is_set, self._set_mark = True, client.mark() if client else 0
        self._next_check_s = self._clock.monotonic() + CHECK_EVERY_S
        # What is read while everything settles would be neither the old nor the new.
        self.equipment.rest(SETTLE_S, until=self._stop)
        self._wake.set()

    def start_sweep(self, step: Step, swing: Swing) -> None:
        """Sweep the generator for a step; the readings come by themselves, and the generator goes back to where the step has it."""
        source = step.set_up.source
        if self.equipment.generator is None or self.equipment.meter(step.set_up.watched) is None or source is None:
            raise FieldsRefused({"sweep": "A sweep needs a generator that the program can set, and a meter that it can read."})
        with self._sweep_lock:
            self._sweep = _Sweep(step.id, source.frequency_hz, swing, self._clock.monotonic())
        self._wake.set()

    def trace(self, *, time_s: float) -> Trace:
        """What the oscilloscope sees over so long, as high as it fits. Raises FieldsRefused where there is none, InstrumentError."""
        scope = self.equipment.of(Oscilloscope)
        with self.equipment.lock:
            scope.set_time(time_s)
            scope.set_range(WIDEST_V)
            for _ in range(LOOKS):
                high = max(scope.peak_to_peak(), LEAST_HIGH_V)
                scope.set_range(next((r for r in RANGES_V if r >= ROOM * high), WIDEST_V))
            return scope.trace()

    def truth(self) -> SetTruth | None:
        """What a practice set knows of itself, or None for a real set, and for one that is busy."""
        practice = self.equipment.practice
        if practice is None or not self.equipment.lock.acquire(timeout=TRUTH_S):
            return None
        try:
            return practice.truth()
        except InstrumentError:
            return None
        finally:
            self.equipment.lock.release()

    # The thread.

    def _work(self) -> None:
        while not self._stop.is_set():
            started = self._clock.monotonic()
            pause = RETRY_EVERY_S
            try:
                with self.equipment.turn():
                    pause = self._once()
                self._say(None)
            except InstrumentError as fault:
                self._told(fault)
            except StoreUnusable as fault:
                self._say(str(fault))
            except CalmNeedleError:
                # The run moved on between two lines of ours; the next time round sees where it is.
                pause = READ_EVERY_S
            except Exception as fault:  # nothing but a stop ends the readings
                log.exception("the bench goes on")
                self._say(f"Something unforeseen is in the way of the readings ({type(fault).__name__}). They go on by themselves.")
            self._wake.wait(max(0.0, pause - (self._clock.monotonic() - started)))
            self._wake.clear()

    def _once(self) -> float:
        client = self._client
        if client is None:
            return RETRY_EVERY_S
        watched, wanted = client.watched(), client.wanted()
        kind = KINDS[wanted.step.kind] if wanted.step else None
        if not watched and self._sweep is None and (kind is None or kind.unwatched_every_s is None):
            return LOOK_AGAIN_S
        if self._sweep and (wanted.step is None or wanted.step.id != self._sweep.step_id):
            self._end(self._sweep, client)
        self._greet(client)
        if wanted.step is None or kind is None or wanted.stage != "step":
            return RETRY_EVERY_S
        self._keep_set(client, wanted)
        if sweep := self._sweep:
            self._go_on(sweep, client)
            return READ_EVERY_S
        if not kind.asks_reading:
            return RETRY_EVERY_S
        with self.equipment.lock:
            positions = self._where(wanted.step)
            read = self.equipment.read(wanted.step.set_up.watched)
        if read is None:
            client.publish()  # nothing here can read it; time goes by all the same
            return RETRY_EVERY_S
        if read.ago_s:
            positions = self._stood(positions, ago_s=read.ago_s)
        client.take_reading(read.quantity, positions, wanted, instrument=read.instrument)
        return READ_EVERY_S if watched else kind.unwatched_every_s or READ_EVERY_S

    def _greet(self, client: Client) -> None:
        """Take up what was lost; a generator that was lost is set again."""
        before = self.states
        try:
            if "generator" in self.equipment.greet():
                self._is_set = False
        finally:
            if self.states != before:
                client.publish()

    def _keep_set(self, client: Client, wanted: Wanted) -> None:
        """See that generator and meter are as they should be; set again what was lost, and strike what was read meanwhile."""
        if self.equipment.generator is not None and not self._is_set:
            client.distrust(self._set_mark, "the generator was not as set")
            self.set_everything(wanted.settings)
            return
        if self._clock.monotonic() < self._next_check_s:
            return
        self._next_check_s = self._clock.monotonic() + CHECK_EVERY_S
        mark = client.mark()
        if self.equipment.as_set(wanted.settings):
            self._set_mark = mark
        else:
            self._is_set = False
            client.publish()
        if wanted.step and (meter := self.equipment.meter(wanted.step.set_up.watched)):
            with self.equipment.lock:
                meter[0].in_step()
            self._step_mark = mark

    def _go_on(self, sweep: _Sweep, client: Client) -> None:
        """Read the points of a sweep. What breaks it off is told as ever; what was read of it is then struck out, and it begins again."""
        generator, rest, swing = self.equipment.generator, self.equipment.rest, sweep.swing
        sweep.points_read = 0
        if generator is None or self._clock.monotonic() - sweep.came_at_s > GIVEN_UP_S:
            self._end(sweep, client)
            return
        while sweep.points_read < swing.points:
            wanted = client.wanted()
            if self._stop.is_set() or self._sweep is not sweep or wanted.step is None or wanted.step.id != sweep.step_id:
                return
            f = swing.centre_hz + swing.span_hz * (sweep.points_read / (swing.points - 1) - 0.5)
            with self.equipment.lock:
                generator.set_frequency(f)
            rest(SWEEP_SETTLE_S, until=self._stop)
            reads: list[Read] = []
            for _ in range(SWEEP_READINGS):
                reads += filter(None, [self._read_patiently(wanted.step)])
                rest(READ_EVERY_S, until=self._stop)
            if not reads:
                return
            mean = Quantity(sum(r.quantity.value for r in reads) / len(reads), reads[-1].quantity.unit)
            client.take_reading(mean, {}, wanted, instrument=reads[-1].instrument, generator_hz=f, kind="sweep")
            sweep.points_read += 1
            if sweep.points_read > sweep.came:
                sweep.came, sweep.came_at_s = sweep.points_read, self._clock.monotonic()
            client.publish()
        with self.equipment.lock:
            generator.set_frequency(sweep.own_hz)
        rest(SETTLE_S, until=self._stop)
        self._end(sweep, client)

    def _end(self, sweep: _Sweep, client: Client) -> None:
        """This sweep is over; one that was asked for meanwhile is not."""
        with self._sweep_lock:
            if self._sweep is sweep:
                self._sweep = None
        self._next_check_s = 0.0
        client.publish(changed=True)

    def _read_patiently(self, step: Step) -> Read | None:
        """Read what a step watches; where the ears hear nothing for a moment, wait for it: a sweep is not given up for that."""
        until_s = self._clock.monotonic() + HEARD_AGAIN_S
        while True:
            try:
                return self.equipment.read(step.set_up.watched)
            except (EarsClosed, EarsUnsure):
                if self._clock.monotonic() > until_s or self._stop.wait(RETRY_EVERY_S):
                    raise

    def _told(self, fault: InstrumentError) -> None:
        """Keep what an instrument did as its state; what was read while it may have answered out of step is struck out."""
        kind = self.equipment.note(fault)
        client = self._client
        if kind in (None, "generator") or (self.equipment.states and all(s.state == "lost" for s in self.equipment.states)):
            self._is_set = False
        if client is not None:
            with contextlib.suppress(CalmNeedleError):
                if isinstance(fault, InstrumentNonsense):
                    client.distrust(self._step_mark, f"the {fault.instrument} answered out of step")
                client.publish()

    def _say(self, trouble: str | None) -> None:
        """Show, or take back, why readings cannot be kept."""
        if trouble != self.trouble:
            self.trouble = trouble
            if self._client:
                try:
                    self._client.publish()
                except Exception:  # what cannot be shown now is shown with the next reading
                    log.exception("the page could not be told")

    def _where(self, step: Step) -> dict[str, Position]:
        """Where the step's adjusters stand, as far as the practice set has them; each is asked for once, and moves only by us."""
        practice = self.equipment.practice
        if practice is None:
            return {}
        here = [a for a in step.adjusters if a in self._adjusters()]
        for adjuster in here:
            if adjuster not in self._positions:
                self._positions[adjuster] = practice.position(adjuster)
                self._moved.append((0.0, adjuster, self._positions[adjuster]))
        return {a: self._positions[a] for a in here}

    def _stood(self, now: Mapping[str, Position], *, ago_s: float) -> dict[str, Position]:
        """Where adjusters stood when what is read now was so: what is heard is some time on its way, and a hand does not wait for it."""
        then_s = self._clock.monotonic() - ago_s
        return {a: next((p for at_s, name, p in reversed(self._moved) if name == a and at_s <= then_s), now[a]) for a in now}

    def _adjusters(self) -> tuple[str, ...]:
        assert self.equipment.practice is not None
        if self._turnable is None:
            self._turnable = self.equipment.practice.adjusters()
        return self._turnable
