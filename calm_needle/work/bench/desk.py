"""A run on the bench: its book, shared between the pages and the instruments, and the newest state for whoever watches."""

import sqlite3
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from datetime import timedelta
from typing import Any

from calm_needle.bench.practice_set import Position
from calm_needle.clock import clock_of, to_text
from calm_needle.core.procedure.judge import swing_for
from calm_needle.core.procedure.run import RunState
from calm_needle.core.procedure.set_up import settings
from calm_needle.core.quantities import Quantity
from calm_needle.errors import BenchInUse, CalmNeedleError, FieldsRefused, RunMovedOn
from calm_needle.store import db
from calm_needle.store.db import told_in_words
from calm_needle.work.bench import bench_view, trace_view
from calm_needle.work.bench.run_book import NotSureEnough, RunBook
from calm_needle.work.instruments.live_bench import LiveBench, Wanted

TIDINGS_S = 5.0  # a stream says that it lives at least so often
UNWATCHED_S = 30.0  # after which nothing is read for a run at which nobody looks


class Desk:
    """One run with a lock around it. Every method may be called from any thread. The connection is the desk's from now on."""

    def __init__(self, conn: sqlite3.Connection, run_id: int, bench: LiveBench) -> None:
        self._conn = conn
        self._clock = clock = clock_of(conn)
        self._book = RunBook(conn, run_id)
        self.run_id = run_id
        self._bench = bench
        self._lock = clock.lock()
        self._news = clock.condition()
        self._sequence = 0  # of what happened; the snapshot is made when somebody asks for it
        self._version = 0
        self._changed = False  # whether the page is to be fetched anew for what happened since the last snapshot
        self._shown_act = ""  # what Enter did when it was last made known
        self._told: tuple[int, dict[str, Any]] = (-1, {})  # the last snapshot made, and its number
        self._disk = db.Disk(conn, lock=clock.lock())
        self._looked_s = clock.monotonic()  # when somebody last looked at the run
        self._rested: tuple[str, str] | None = None  # from when until when nobody looked, and nothing was read
        self._chosen: tuple[int | None, str] | None = None  # visit, and the adjuster that is turned in it
        self._wanted: tuple[RunState, Wanted] | None = None  # what the run wants, and in which state of it
        self.closed = False

    @contextmanager
    def book(self) -> Iterator[RunBook]:
        """The book under its lock: `with desk.book() as book:`."""
        with self._lock:
            yield self._book

    @property
    def on_instruments(self) -> bool:
        return self._book.run.bench == "instruments"

    @property
    def has_bench(self) -> bool:
        """Whether the instruments work for this run now."""
        return self.on_instruments and self._bench.client is self

    @property
    def set_id(self) -> int:
        return self._book.job.set_id

    @property
    def name(self) -> str:
        """How a sentence calls the run."""
        job = self._book.job
        return f"run {self.run_id} of job {job.id}, {job.model_name} no. {job.serial}"

    def reads(self) -> bool:
        """Whether it is being read on the bench: somebody looks, and its steps are not through."""
        return self.has_bench and self.watched() and self._book.state.stage not in ("complete", "finished")

    def away(self) -> bench_view.Away | None:
        """Who has the bench that this run works with; None where it has it itself, or works with none."""
        if not self.on_instruments or self.has_bench:
            return None
        holder = self._bench.client
        if isinstance(holder, Desk) and holder.reads():
            return bench_view.Away(holder.name, holder.run_id)
        return bench_view.Away("", 0)

    @property
    def in_hand(self) -> str | None:
        """The adjuster that is being turned: the one chosen in this visit, or the step's first."""
        step, visit = self._book.step, self._book.state.visit
        if step is None or not step.adjusters:
            return None
        if self._chosen and self._chosen[0] == (visit.id if visit else None) and self._chosen[1] in step.adjusters:
            return self._chosen[1]
        return step.adjusters[0]

    # For the pages.

    @property
    def here(self) -> str:
        """The place that a page shows which shows the run as it is."""
        with self._lock:
            return self._book.here

    def view(self) -> dict[str, Any]:
        """Return everything the bench page shows."""
        self.looked_at()
        with self._lock:
            snapshot = self._see()
            page = bench_view.page(self._book, self._bench_or_none(), self.in_hand, self.away())
            rested = self._rested and bench_view.rested_words(*self._rested)
            mark = self._disk.mark()
        self._disk.settle(mark)
        return {**page, "snapshot": snapshot, "version": snapshot["version"], "rested": rested}

    def wait_for_news(self, after: int) -> tuple[int, dict[str, Any] | None]:
        """Return the newest snapshot and its number once there is one after `after`; None in its place after TIDINGS_S."""
        self.looked_at()
        with self._news:
            if not self._news.wait_for(lambda: self._sequence > after or self.closed, TIDINGS_S):
                return self._sequence, None
        self.looked_at()
        with self._lock:
            number = self._sequence
            if self._told[0] != number:
                self._told = number, self._see()
            snapshot, mark = self._told[1], self._disk.mark()
        self._disk.settle(mark)
        return number, snapshot

    def trace(self) -> dict[str, Any]:
        """Return what the oscilloscope sees for the step in hand. Raises FieldsRefused where it wants none, InstrumentError."""
        with self._lock:
            wanted = trace_view.about(self._book.step)
        self._need_bench()
        bench = self._bench_or_none()
        if wanted is None or bench is None:
            raise FieldsRefused({"trace": "This step wants no oscilloscope."})
        return trace_view.drawn(bench.trace(time_s=wanted.time_s), wanted)

    def snapshot(self) -> dict[str, Any]:
        """Return what changes with every reading, as it is now."""
        self.looked_at()
        with self._lock:
            snapshot, mark = self._see(), self._disk.mark()
        self._disk.settle(mark)
        return snapshot

    def end_waiting(self) -> None:
        """Let go of everybody who waits for news: the program ends."""
        with self._news:
            self.closed = True
            self._news.notify_all()

    def close(self) -> None:
        """Close the book once nobody has it in hand."""
        with self._lock:
            self._conn.close()
        self._disk.close()

    def act(self, here: str, do: Callable[[RunBook], Any]) -> Any:
        """Do something to the book, provided the page showed where the run is; then tell everybody.

        here: the place that the page showed, as `RunBook.here` names it. Raises RunMovedOn.
        """
        self.looked_at()
        with self._lock:
            self._rested = None
            self._expect_here(here)
            with told_in_words():
                result = do(self._book)
        self.publish(changed=True)
        return result

    @property
    def units(self) -> tuple[str, ...]:
        """The units in which a reading of the step in hand may be typed."""
        with self._lock:
            return self._book.seen.units

    def _expect_here(self, here: str) -> None:
        """Refuse what a page sends that does not show where the run is. Raises RunMovedOn."""
        if here != self._book.here:
            raise RunMovedOn(now_at=self._book.where)

    def type_reading(self, here: str, quantity: Quantity, *, at_hz: float | None = None, sure: bool = False) -> int:
        """Keep a reading that a person typed, and return its number. Raises NotSureEnough for one out of all scale.

        at_hz: the generator's frequency it was read at, where a response is typed point by point.
        """
        with self._lock:
            question = None if sure else self._book.seen.doubt(quantity)
        if question:
            raise NotSureEnough(question)
        kind = "typed" if at_hz is None else "sweep"
        by_eye = "read by eye"
        return int(self.act(here, lambda book: book.add_reading(quantity, kind=kind, instrument=by_eye, generator_hz=at_hz)).id)

    def take(self, here: str, *, sure: bool = False, answer: str | None = None) -> None:
        """Take the step as it stands and go on. Raises NotSureEnough, FieldsRefused."""
        can_sweep = bench_view.facts(self._bench_or_none()).can_sweep
        self.act(here, lambda book: book.take(sure=sure, answer=answer, can_sweep=can_sweep))

    def choose(self, here: str, adjuster: str) -> None:
        """Take another of the step's adjusters in hand."""

        def do(book: RunBook) -> None:
            if book.step is None or adjuster not in book.step.adjusters:
                raise FieldsRefused({"adjuster": "This step does not turn that adjuster."})
            visit = book.state.visit
            self._chosen = (visit.id if visit else None, adjuster)

        self.act(here, do)

    def set_everything(self, here: str) -> None:
        """Set the instruments that can be set, then record that all is set."""
        with self._lock:
            self._expect_here(here)
            wanted = self.wanted()
            if wanted.step is None or wanted.stage != "set_up":
                raise RunMovedOn(now_at=self._book.where)
        if self.on_instruments:
            self._need_bench()
            self._bench.set_everything(wanted.settings)
        self.act(here, lambda book: book.set_everything())

    def listens(self, here: str, at_hz: float | None, *, sure: bool = False) -> None:
        """Remember where the owner listens, while this run is at the bench: what being exact there costs is then shown too.

        sure: what was asked about was meant. Raises NotSureEnough for a frequency that a factor of a thousand brings into the band,
        FieldsRefused for one outside it, and where nothing can be said of it; nothing is remembered then.
        """
        with self._lock:
            self._expect_here(here)
            at_hz = None if at_hz is None else self._book.in_its_band(at_hz, sure=sure)
            before = dict(self._book.asked)
            self._book.asked["listens_hz"] = at_hz
            try:
                self._book.decision()
            except CalmNeedleError as fault:
                self._book.asked.clear()
                self._book.asked.update(before)
                raise FieldsRefused({"listens": f"Nothing can be said for that frequency: {fault}"}) from None
        self.publish(changed=True)

    def move_level(self, here: str) -> None:
        """Turn the generator to where the level keeper wants it, and record it; where it has come right meanwhile, nothing is done."""
        with self._lock:
            self._expect_here(here)
            move, step = self._book.level_move(), self._book.step
            wanted = settings(step.set_up, None, model=self._book.model, level_v=move.level_v) if move and step else None
        if move is None or wanted is None:
            self.publish(changed=True)
            return
        if not self.on_instruments:
            self.act(here, lambda book: book.move_level(move))
            return
        # The lock is free meanwhile, so that no page waits for an instrument. Nothing is read until the move is in the book: what is read
        # of the new level would be kept as read at the old one, by so much too high or too low.
        self._need_bench()
        with self._bench.equipment.turn():
            self._bench.set_everything(wanted)
            self.act(here, lambda book: book.move_level(move))

    def turn(self, turns: float) -> Position:
        """Turn the adjuster in hand on the practice set."""
        # Turns follow one another faster than pages; each is of the adjuster in hand.
        wanted = self.wanted()
        if wanted.step is None or wanted.stage != "step" or not wanted.step.adjusters or not self.on_instruments:
            raise FieldsRefused({"turns": "There is nothing to turn at this step."})
        with self._lock:
            adjuster = self.in_hand
        assert adjuster is not None
        self._need_bench()
        return self._bench.turn(adjuster, turns)

    def set_was_changed(self, words: str) -> None:
        """Something in the set was changed: the step in hand, if there is one, begins anew."""
        with self._lock:
            self._book.set_was_changed(words)
        self.publish(changed=True)

    def clear_wax(self, here: str) -> None:
        """Clear the wax from the core in hand, on the practice set too."""

        with self._lock:
            self._expect_here(here)
            adjuster = self.in_hand
        if self.on_instruments and adjuster:
            self._need_bench()
            self._bench.clear_wax(adjuster)
        self.act(here, lambda book: book.clear_wax())

    def sweep(self, here: str) -> None:
        """Have the generator stepped over what the step asks for next: its pass-band, or where something may be heard."""
        sees = bench_view.facts(self._bench_or_none())._asdict()

        def do(book: RunBook) -> None:
            step = book.step
            swing = swing_for(step, book.standing(**sees)) if step else None
            if step is None or swing is None or not self.on_instruments:
                raise FieldsRefused({"sweep": "There is no response to sweep at this step."})
            self._need_bench()
            if book.level_move() is not None:
                raise FieldsRefused({"sweep": "Set the level first: the gain control would flatten the response."})
            self._bench.start_sweep(step, swing)

        self.act(here, do)

    # For the instruments (live_bench.Client).

    def wanted(self) -> Wanted:
        with self._lock:
            state = self._book.state
            if self._wanted is None or self._wanted[0] is not state:  # a state is never changed: after an act there is another
                step = self._book.step
                level = state.level_v if state.stage == "step" else None
                rows = settings(step.set_up, None, model=self._book.model, level_v=level) if step else ()
                visit = state.visit.id if state.visit else None
                self._wanted = state, Wanted(step, tuple(rows), state.level_v, state.stage, visit)
            return self._wanted[1]

    def mark(self) -> int:
        with self._lock:
            kept = self._book.seen.kept
            return kept[-1].id if kept else 0

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
        with self._lock:
            if self.wanted() != read_for:
                return  # read before the level was moved or the step taken: it belongs to neither
            with told_in_words():
                first = read_for.step.adjusters[0] if read_for.step and read_for.step.adjusters else None
                if self._book.state.blind:
                    positions = {}
                self._book.add_reading(
                    quantity,
                    kind=kind,
                    instrument=instrument,
                    turns=positions[first].turns if first is not None and first in positions else None,
                    at_stop=any(p.at_stop for p in positions.values()),
                    generator_hz=generator_hz,
                    other_turns={a: p.turns for a, p in positions.items() if a != first},
                )
        self.publish()

    def distrust(self, after: int, reason: str) -> None:
        with self._lock:
            if self._book.state.stage == "step":
                self._book.strike_after(after, reason)
        self.publish()

    def looked_at(self) -> None:
        """Take that somebody looks. After a while in which nobody did, it is kept for the page from when until when nothing was read."""
        now_s = self._clock.monotonic()
        unread_s, self._looked_s = now_s - self._looked_s - UNWATCHED_S, now_s
        kind = self._book.seen.kind
        if unread_s > 0.0 and self.on_instruments and kind and kind.asks_reading and kind.unwatched_every_s is None:
            now = self._clock.utc()
            self._rested = to_text(now - timedelta(seconds=unread_s)), to_text(now)

    def watched(self) -> bool:
        """Whether somebody looks at the run, or did until a moment ago. Whoever reads for it stops a while after nobody does."""
        return self._clock.monotonic() - self._looked_s <= UNWATCHED_S

    def publish(self, *, changed: bool = False) -> None:
        """See that what happened is on the disk, and wake everybody who waits for it; each then asks how it stands. `changed`: the page is
        to be fetched anew, as it is when what Enter does is another thing than it was, whatever made it so: a reading, or readings that
        were struck out."""
        with self._lock:
            mark = self._disk.mark()
        self._disk.settle(mark)
        with self._news:
            self._changed = self._changed or changed
            self._sequence += 1
            self._news.notify_all()

    # Within.

    def _see(self) -> dict[str, Any]:
        """How it stands now; the lock is held. What it tells is on the disk once `_disk.settle()` has returned, and is shown after that."""
        main_act = self._main_act()
        self._version += self._changed or main_act != self._shown_act
        self._changed, self._shown_act = False, main_act
        return {**bench_view.snapshot(self._book, self._bench_or_none(), self.in_hand, self.away()), "version": self._version}

    def _bench_or_none(self) -> LiveBench | None:
        return self._bench if self.has_bench else None

    def _need_bench(self) -> None:
        """Raise BenchInUse where the instruments work for another run, or for none."""
        if away := self.away():
            raise BenchInUse(holder=away.holder)

    def _main_act(self) -> str:
        return bench_view.main_action(self._book, self._bench_or_none(), self.away()).act
