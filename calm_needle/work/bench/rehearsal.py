"""A whole run on a practice receiver with a modelled hand: no sockets, no pages, no waiting.

The demo world's older jobs are made this way, so every reading in them comes from the twin; the tests score runs with it.
"""

import random
from datetime import UTC, datetime, timedelta
from typing import NamedTuple, Protocol

from calm_needle.clock import seconds, to_text
from calm_needle.core.dossier.model import SetUp
from calm_needle.core.procedure.judge import Standing, swing_for
from calm_needle.core.quantities import Quantity
from calm_needle.sim.instruments.counter import FrequencyCounter
from calm_needle.sim.instruments.millivoltmeter import Millivoltmeter
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from calm_needle.sim.setting_up import setting_up_s
from calm_needle.sim.technician import MANNERS, Hand, Manner, touch_of
from calm_needle.work.bench.run_book import RunBook

READING_S = 0.05
LONGEST_STEP_S = 180.0
SETTLED_READINGS = 15
LOOKS = 20  # readings before a measurement is judged
WAITED_S = 10.0
REMEMBERED_TURNS = 0.1
BY_COUNTER = 0.01  # turns of a core: to what a hand brings a reading back that it sees
TOUCHES_UP = {"touch_up": True}  # the house style of rehearsals: what can be bettered is, within its tolerance too


class MadeUpClock:
    """A clock that goes only when it is told to."""

    def __init__(self, start: datetime) -> None:
        self._now = start.astimezone(UTC)
        self._text = to_text(self._now)

    def __call__(self) -> str:
        return self._text

    def go(self, seconds: float) -> None:
        self._now += timedelta(seconds=seconds)
        self._text = to_text(self._now)


class OutputMeter(Protocol):
    """What reads the output: a millivoltmeter, or ears."""

    def volts(self) -> float: ...

    def reset(self) -> None: ...


class _Bench(NamedTuple):
    """What a rehearsal works with."""

    book: RunBook
    receiver: PracticeReceiver
    meter: OutputMeter
    counter: FrequencyCounter
    clock: MadeUpClock
    seed: int
    turns_known: bool
    manner: Manner

    @property
    def uses_key(self) -> bool:
        return not self.turns_known


def rehearse(
    book: RunBook,
    receiver: PracticeReceiver,
    clock: MadeUpClock,
    *,
    seed: int,
    turns_known: bool = True,
    manner: Manner = MANNERS["average"],
    meter: OutputMeter | None = None,
) -> None:
    """Lead the run to its end by the program's own advice. The book must be opened with this clock. meter: in place of the stand-in."""
    meter = meter or Millivoltmeter(receiver, seed=receiver.seed, clock=lambda: seconds(clock()))
    bench = _Bench(book, receiver, meter, FrequencyCounter(receiver, seed=receiver.seed), clock, seed, turns_known, manner)
    before: SetUp | None = None
    while book.state.stage != "finished":
        match book.state.stage:
            case "set_up":
                assert book.step is not None
                clock.go(setting_up_s(book.step.set_up, before, model=book.model))
                before = book.step.set_up
                book.set_everything()
            case "decision":
                clock.go(5.0)
                if (decision := book.decision(TOUCHES_UP)) is not None:
                    clock.go(5.0)
                    book.choose(decision.advised, TOUCHES_UP)
                else:
                    book.decide(go_on=book.rounds_verdict().go_on)
            case "complete":
                book.finish("as the rehearsal left it" if book.unmet() else "")
            case "step":
                _do_step(bench)


def _do_step(bench: _Bench) -> None:
    """Do one step by what its standing says is to be done next, whatever its kind."""
    book, receiver, clock = bench.book, bench.receiver, bench.clock
    step = book.step
    assert step is not None
    stand(receiver, step.set_up)
    _feed(bench, None)
    bench.meter.reset()
    core = next((a for a in step.adjusters if a in receiver.adjusters), None)
    touch = touch_of(receiver.adjusters[core].travel_turns) if core else 1.0
    hand, reads = (
        Hand(seed=bench.seed, spell=len(book.state.visits), manner=bench.manner, touch=touch),
        book.seen.kind is None or book.seen.kind.asks_reading,
    )
    settled, key_in = 0, None
    began_at = receiver.adjusters[core].position_turns if core else 0.0
    for _ in range(int(LONGEST_STEP_S / READING_S)):
        if reads:
            _read(bench, 1 if core else LOOKS, core)
            _settle_level(bench, core)
        standing = book.standing(can_sweep=True)
        assert standing is not None
        move = standing.move
        if move.way == "sweep":
            _sweep(bench, standing)
        elif move.way == "wait":
            clock.go(WAITED_S)
        elif move.way == "answer":
            book.take(answer=move.answer)
            return
        elif move.way == "slipping" and core and receiver.adjusters[core].waxed:
            clock.go(60.0)
            receiver.adjusters[core].waxed = False
            book.clear_wax()
            continue
        settled = settled + 1 if standing.may_take else 0
        if settled >= (SETTLED_READINGS if core else 1):
            book.take()
            return
        if core:
            if receiver.turn(core, hand.next_turn(move, dt_s=READING_S)):
                hand.meet_stop()
            if hand.turned_back and bench.uses_key:
                key_in = round(bench.manner.key_late_s / READING_S)
            if key_in is not None:
                key_in -= 1
                if key_in < 0:
                    key_in = None
                    book.turn_back()
    if core:
        # Whoever finds nothing turns it back to where it was: as nearly as a hand remembers, or by the counter where that tells.
        there = book.standing()
        nearly = BY_COUNTER * touch if there and there.bring_back else REMEMBERED_TURNS
        remembered = random.Random(f"{bench.seed} back {len(book.state.visits)}").gauss(0.0, nearly)
        receiver.turn(core, began_at + remembered - receiver.adjusters[core].position_turns)
    if core and (last := book.standing()) and last.nothing:
        book.no_peak(sure=True)
    else:
        book.skip("not to be had in a rehearsal")


def stand(receiver: PracticeReceiver, wanted: SetUp) -> None:
    """Let the set stand as a step wants it, the leads where they belong."""
    receiver.lead = wanted.goes_in
    tuning = wanted.tuning
    if wanted.cover:
        receiver.cover(on=wanted.cover == "on")
    switches = {k: str(v) for k, v in tuning.controls.items()}
    receiver.stand(band=tuning.band, dial_hz=tuning.dial_hz, come_from=tuning.come_from, switches=switches)
    if wanted.watched and wanted.watched.point:
        receiver.clip("counter", wanted.watched.point)


def _settle_level(bench: _Bench, core: str | None) -> None:
    while bench.book.level_move() is not None:
        bench.book.move_level()
        _feed(bench, None)
        bench.clock.go(3.0)
        _read(bench, 10, core)


def _read(bench: _Bench, count: int, core: str | None) -> None:
    for _ in range(count):
        _feed(bench, None)
        bench.clock.go(READING_S)
        there = bench.receiver.adjusters[core] if core and bench.turns_known else None
        bench.book.add_reading(
            Quantity(_shown(bench), bench.book.seen.series.unit),
            kind="live",
            instrument="a.c. millivoltmeter",
            turns=there.tool_turns if there else None,
            at_stop=there.at_stop() if there else False,
        )


def _sweep(bench: _Bench, standing: Standing) -> None:
    swing = swing_for(bench.book.step, standing) if bench.book.step else None
    assert swing is not None
    for i in range(swing.points):
        f = swing.centre_hz + swing.span_hz * (i / (swing.points - 1) - 0.5)
        _feed(bench, f)
        _shown(bench)
        bench.clock.go(0.8)
        bench.book.add_reading(Quantity(_shown(bench), "V"), kind="sweep", instrument="a.c. millivoltmeter", generator_hz=f)


def _feed(bench: _Bench, frequency_hz: float | None) -> None:
    source = bench.book.step.set_up.source if bench.book.step else None
    if source is None:
        return
    level = bench.book.state.level_v or source.level_v
    bench.receiver.feed = Input(frequency_hz or source.frequency_hz, level, source.depth)


def _shown(bench: _Bench) -> float:
    unit = bench.book.seen.series.unit
    return bench.counter.hertz() if unit == "Hz" else bench.meter.volts()
