"""A whole run on a practice receiver with a modelled hand: no sockets, no pages, no waiting.

The demo world's older jobs are made this way, so every reading in them comes from the twin; the tests score runs with it.
"""

from datetime import UTC, datetime, timedelta

from calm_needle.core.quantities import Quantity
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from calm_needle.sim.technician import Hand
from calm_needle.work.clock import to_text
from calm_needle.work.run_book import RunBook

READING_S = 0.05
LONGEST_STEP_S = 180.0
SETTLED_READINGS = 30


class MadeUpClock:
    """A clock that goes only when it is told to."""

    def __init__(self, start: datetime) -> None:
        self._now = start.astimezone(UTC)

    def __call__(self) -> str:
        return to_text(self._now)

    def go(self, seconds: float) -> None:
        self._now += timedelta(seconds=seconds)


def rehearse(book: RunBook, receiver: PracticeReceiver, clock: MadeUpClock, *, seed: int, turns_known: bool = True) -> None:
    """Lead the run to its end by the program's own advice. The book must have been opened with this clock."""
    while book.state.stage != "finished":
        match book.state.stage:
            case "set_up":
                clock.go(20.0)
                book.set_everything()
            case "decision":
                clock.go(5.0)
                book.decide(go_on=book.rounds_verdict().go_on)
            case "complete":
                book.finish()
            case "step":
                _do_step(book, receiver, clock, seed=seed, turns_known=turns_known)


def _do_step(book: RunBook, receiver: PracticeReceiver, clock: MadeUpClock, *, seed: int, turns_known: bool) -> None:
    step = book.step
    assert step is not None and step.set_up.generator is not None
    receiver.lead = step.set_up.goes_in
    clock.go(4.0)
    if step.kind == "check":
        _read(book, receiver, clock, 20, None, turns_known)
        _settle_level(book, receiver, clock, None, turns_known)
        _sweep(book, receiver, clock)
        book.take()
        return
    core = step.adjusters[0]
    hand = Hand(seed=seed)
    settled = 0
    for _ in range(int(LONGEST_STEP_S / READING_S)):
        _read(book, receiver, clock, 1, core, turns_known)
        _settle_level(book, receiver, clock, core, turns_known)
        verdict = book.verdict
        if verdict.kind == "flat" and receiver.cores[core].waxed:
            clock.go(60.0)
            receiver.cores[core].waxed = False
            book.clear_wax()
            continue
        settled = settled + 1 if verdict.kind == "crest" else 0
        if settled >= SETTLED_READINGS:
            book.take()
            return
        receiver.turn(core, hand.next_turn(verdict, dt_s=READING_S))
    book.no_peak()


def _settle_level(book: RunBook, receiver: PracticeReceiver, clock: MadeUpClock, core: str | None, turns_known: bool) -> None:
    while book.level_move() is not None:
        clock.go(3.0)
        book.move_level()
        _read(book, receiver, clock, 10, core, turns_known)


def _read(book: RunBook, receiver: PracticeReceiver, clock: MadeUpClock, count: int, core: str | None, turns_known: bool) -> None:
    for _ in range(count):
        _feed(book, receiver, None)
        clock.go(READING_S)
        there = receiver.cores[core] if core and turns_known else None
        book.add_reading(
            Quantity(_shown(receiver), "V"),
            kind="live",
            instrument="a.c. millivoltmeter",
            turns=there.tool_turns if there else None,
            at_stop=there.at_stop() if there else False,
        )


def _sweep(book: RunBook, receiver: PracticeReceiver, clock: MadeUpClock) -> None:
    step = book.step
    assert step is not None and step.set_up.generator is not None
    for i in range(step.passband_points):
        f = step.set_up.generator.frequency_hz + step.passband_span_hz * (i / (step.passband_points - 1) - 0.5)
        _feed(book, receiver, f)
        clock.go(0.5)
        mean = sum(_shown(receiver) for _ in range(3)) / 3.0
        book.add_reading(Quantity(mean, "V"), kind="sweep", instrument="a.c. millivoltmeter", generator_hz=f)


def _feed(book: RunBook, receiver: PracticeReceiver, frequency_hz: float | None) -> None:
    assert book.step is not None and book.step.set_up.generator is not None
    generator = book.step.set_up.generator
    receiver.feed = Input(frequency_hz or generator.frequency_hz, book.state.level_v or generator.level_v, generator.depth)


def _shown(receiver: PracticeReceiver) -> float:
    return float(f"{receiver.reading(dt_s=READING_S):.4g}")
