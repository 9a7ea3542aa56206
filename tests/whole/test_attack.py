"""What an attack found, each held by a test that failed before: the store, the wire, the folder, the pages."""

import contextlib
import io
import json
import logging
import socketserver
import sqlite3
import subprocess
import sys
import tempfile
import threading
import unittest
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any
from unittest import mock

from PIL import Image

from calm_needle.bench.transport import LONGEST_ANSWER, VisaTransport
from calm_needle.clock import Worker
from calm_needle.core.dossier.model import Watched
from calm_needle.core.quantities import Quantity
from calm_needle.errors import FileRefused, InstrumentNonsense, InstrumentSilent, InstrumentSurplus, RunMovedOn, StoreUnusable
from calm_needle.files.dossiers import MOST_FAULTS, load_dossier
from calm_needle.files.photographs import MOST_BYTES
from calm_needle.sim.instruments.stand_in import QUEUE_LENGTH, StandIn
from calm_needle.store import db
from calm_needle.web import failures
from calm_needle.web.app import create_app
from calm_needle.web.screens.bench import views as bench_views
from calm_needle.work.bench.run_book import RunBook
from calm_needle.work.instruments.equipment import Equipment
from calm_needle.work.instruments.live_bench import LiveBench, Wanted
from calm_needle.work.jobs import intake
from calm_needle.work.jobs.shelf import job_of, parts_of_job
from calm_needle.work.soundness import bands, parts_sweep, repairs
from calm_needle.work.whole_file import read_object, write_whole
from calm_needle.work.workshop import Workshop
from tests.support import halvern
from tests.support.app import app_over
from tests.support.client import TYPED_JOB, PageTest
from tests.support.demo import copy_into
from tests.support.garbage import throw

UNSOUND_JOB = 4
WAIT_S = 20.0  # these machines pause; nothing here is judged by its time


class Client:
    """A run that wants readings, as the bench sees it; it notes what it is told."""

    def __init__(self, wanted: Callable[[], Wanted]) -> None:
        self._wanted = wanted
        self.taken: list[float] = []
        self.struck: list[tuple[int, str]] = []
        self.told = threading.Condition()
        self.published = 0

    def wanted(self) -> Wanted:
        return self._wanted()

    def mark(self) -> int:
        return len(self.taken)

    def take_reading(self, quantity: Quantity, positions: Mapping[str, Any], read_for: Wanted, **_: Any) -> None:
        with self.told:
            self.taken.append(quantity.value)
            self.told.notify_all()

    def distrust(self, after: int, reason: str) -> None:
        with self.told:
            self.struck.append((after, reason))
            self.told.notify_all()

    def watched(self) -> bool:
        return True

    def publish(self, *, changed: bool = False) -> None:
        with self.told:
            self.published += 1
            self.told.notify_all()

    def wait_for(self, what: Callable[[], bool]) -> bool:
        with self.told:
            return self.told.wait_for(what, WAIT_S)


class TheReadingThreadOutlivesEverything(unittest.TestCase):  # F1
    def bench(self) -> LiveBench:
        bench = LiveBench(Equipment())
        self.addCleanup(bench.close)
        logging.disable(logging.CRITICAL)
        self.addCleanup(logging.disable, logging.NOTSET)
        return bench

    def test_whatever_goes_wrong_is_said_and_it_goes_on(self) -> None:
        troubles: list[Exception] = [sqlite3.OperationalError("database is locked"), RuntimeError("of ours"), KeyError("x")]
        said: list[str | None] = []
        bench = self.bench()

        def wanted() -> Wanted:
            if troubles:
                raise troubles.pop(0)
            return Wanted(None, (), None, "complete", None)

        client = Client(wanted)
        client.publish = lambda **_: said.append(bench.trouble)  # type: ignore[method-assign]
        bench.attach(client)
        for _ in range(200):
            if said and said[-1] is None:
                break
            threading.Event().wait(0.1)
        self.assertIn("They go on by themselves", said[0] or "")
        self.assertIsNone(said[-1], "and it is taken back once it is over")

    def test_one_that_ended_is_started_again_when_its_page_is_looked_at(self) -> None:
        bench = self.bench()
        client = Client(lambda: Wanted(None, (), None, "complete", None))
        dead = threading.Thread(target=lambda: None)
        dead.start()
        dead.join()
        bench._thread = dead
        bench.attach(client)
        assert bench._thread is not None
        self.assertTrue(bench._thread.is_alive())

    def test_a_lock_of_the_database_is_told_in_words(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / db.FILE_NAME
            conn, other = db.connect(path), db.connect(path)
            conn.execute("PRAGMA busy_timeout = 0")
            other.execute("BEGIN EXCLUSIVE")
            with self.assertRaises(StoreUnusable) as caught, db.told_in_words():
                conn.execute("INSERT INTO setting (key, value) VALUES ('a', 'b')")
            self.assertIn("Another program holds the database", str(caught.exception))
            other.execute("ROLLBACK")
            conn.close()
            other.close()


class Wire(socketserver.ThreadingTCPServer):
    """An instrument on a socket that answers as it is told: a function from the line and how many have come before to the bytes."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, answer: Callable[[str, int], bytes | list[bytes]]) -> None:
        self.answer, self.asked, self.stop = answer, 0, threading.Event()
        super().__init__(("127.0.0.1", 0), WireHandler)
        threading.Thread(target=self.serve_forever, kwargs={"poll_interval": 0.05}, daemon=True).start()

    @property
    def resource(self) -> str:
        return f"TCPIP::127.0.0.1::{self.server_address[1]}::SOCKET"

    def close(self) -> None:
        self.stop.set()
        self.shutdown()
        self.server_close()


class WireHandler(socketserver.StreamRequestHandler):
    disable_nagle_algorithm = True
    server: Wire

    def handle(self) -> None:
        with contextlib.suppress(OSError):
            while line := self.rfile.readline().decode().strip():
                answer = self.server.answer(line, self.server.asked)
                self.server.asked += 1
                for piece in [answer] if isinstance(answer, bytes) else answer:
                    if self.server.stop.is_set():
                        return
                    self.wfile.write(piece)
                    if isinstance(answer, list):
                        self.server.stop.wait(0.1)


class OnTheWire(unittest.TestCase):
    def wire(self, answer: Callable[[str, int], bytes | list[bytes]]) -> Wire:
        wire = Wire(answer)
        self.addCleanup(wire.close)
        return wire

    def link(self, wire: Wire, timeout_ms: int = 2000) -> VisaTransport:
        link = VisaTransport(wire.resource, name="multimeter", timeout_ms=timeout_ms)
        self.addCleanup(link.close)
        return link


class ASurplusLine(OnTheWire):  # F2
    def test_what_lies_there_unasked_is_read_away_and_the_question_not_sent(self) -> None:
        link = self.link(self.wire(lambda line, n: b"111\n0.5\n" if n == 0 else f"{line} {n}\n".encode()))
        self.assertEqual(link.query("MEAS:VOLT:DC?"), "111")
        with self.assertRaises(InstrumentSurplus) as caught:
            link.query("MEAS:CURR:AC?")
        self.assertIn("sent “0.5” unasked", str(caught.exception))
        self.assertEqual(link.query("MEAS:CURR:AC?"), "MEAS:CURR:AC? 1", "in step again")

    def test_readings_taken_meanwhile_are_struck_and_the_meter_is_odd(self) -> None:
        # In step at first; then one line too many, and every answer from there on belongs to the question before.
        def answer(line: str, n: int) -> bytes:
            if line == "*IDN?":
                return b"Some,Meter,1,1\n"
            if line.startswith("SYST"):
                return b'0,"No error"\n'
            # The first measurement asked for from the twelfth question on; which of them that is, the clock decides.
            if n >= 12 and not spoiled:
                spoiled.append(n)
                return b"0.9\n0.1\n"
            return b"0.1\n"

        spoiled: list[int] = []
        equipment = Equipment()
        bench = LiveBench(equipment)
        self.addCleanup(bench.close)
        step = next(s for s in halvern.model().groups[0].steps)
        client = Client(lambda: Wanted(step, (), None, "step", 1))
        states: list[str] = []
        told = client.publish

        def publish(*, changed: bool = False) -> None:
            states.extend(s.state for s in equipment.states)
            told(changed=changed)

        client.publish = publish  # type: ignore[method-assign]
        bench.connect({"ac-millivoltmeter": self.wire(answer).resource})
        bench.attach(client)
        self.assertTrue(client.wait_for(lambda: bool(client.struck)))
        after, reason = client.struck[0]
        self.assertEqual(reason, "the a.c. millivoltmeter answered out of step")
        self.assertIn(0.9, client.taken[after:], "what came in the place of an answer is among what is struck")
        self.assertIn("odd", states)
        so_far = len(client.taken)
        self.assertTrue(client.wait_for(lambda: len(client.taken) > so_far + 2), "and it is read again")


class AnAnswerThatNeverEnds(OnTheWire):  # F5
    def test_bytes_that_dribble_in_do_not_put_off_the_end(self) -> None:
        link = self.link(self.wire(lambda line, n: [b"1"] * 200), timeout_ms=500)
        with self.assertRaises(InstrumentSilent):
            link.query("MEAS:VOLT:AC?")

    def test_endless_bytes_are_no_reading_and_are_not_gathered(self) -> None:
        link = self.link(self.wire(lambda line, n: b"1" * (20 * LONGEST_ANSWER)))
        with self.assertRaises(InstrumentNonsense) as caught:
            link.query("MEAS:VOLT:AC?")
        self.assertIn("and over 65536 byt", str(caught.exception))

    def test_a_stray_high_byte_is_an_odd_answer_and_no_broken_cable(self) -> None:  # F9
        link = self.link(self.wire(lambda line, n: b"0.1\xb5\n"))
        with self.assertRaises(InstrumentNonsense):
            link.query("MEAS:VOLT:AC?")
        self.assertNotIsInstance(InstrumentNonsense, ConnectionError)


class NoPageWaitsForAnInstrument(PageTest):  # F5
    def test_while_an_instrument_is_being_asked_every_page_answers(self) -> None:
        run_id, clock = self.begin_typed_run(), self.workshop.clock
        worker = self.asked_for(1000.0)
        began_s = clock.monotonic()
        for path in ("/", f"/bench/{run_id}", f"/jobs/{TYPED_JOB}", "/instruments", "/runs/1/record"):
            self.assertEqual(self.get(path).status_code, 200, path)
        self.assertLess(clock.monotonic() - began_s, 10.0, "no page took longer than its own time")
        self.assertTrue(worker.is_alive(), "the instrument is still being asked")

    def test_nor_does_attaching_a_run(self) -> None:
        self.asked_for(1000.0)
        began_s = self.workshop.clock.monotonic()
        self.workshop.live.attach(Client(lambda: Wanted(None, (), None, "complete", None)))
        self.assertEqual(self.workshop.clock.monotonic(), began_s)

    def asked_for(self, seconds: float) -> Worker:
        """Somebody who has an instrument to himself for so long."""
        clock, asking = self.workshop.clock, self.workshop.clock.event()

        def ask() -> None:
            with self.workshop.equipment.lock:
                asking.set()
                clock.wait(seconds)

        worker = clock.start(ask, name="somebody who asks")
        asking.wait()
        return worker


class HalfWrittenFiles(unittest.TestCase):  # F3
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_a_key_cut_short_is_made_anew(self) -> None:
        for cut in ("", "abc", "\x00" * 64, "Z" * 64):
            (self.folder / "secret").write_text(cut)
            workshop = Workshop(self.folder)
            key = workshop.secret_key()
            self.assertRegex(key, r"^[0-9a-f]{64}$")
            self.assertEqual(workshop.secret_key(), key)
            workshop.close()

    def test_ports_that_cannot_be_read_are_as_if_there_were_none(self) -> None:
        workshop = Workshop(self.folder)
        self.addCleanup(workshop.close)
        (self.folder / "stand-ins").mkdir()
        for odd in ("", "{", "[1]", '{"generator": "x"}', '{"generator": 99999}', '{"generator": true}', '{"generator": -1}'):
            (self.folder / "stand-ins" / "ports.json").write_text(odd)
            self.assertEqual(workshop.stand_ins.resources(), {}, odd)

    def test_a_set_whose_file_was_cut_short_stands_as_it_came(self) -> None:
        dossier, state = self.folder / "d.json", self.folder / "set-1.json"
        dossier.write_bytes(halvern.content())
        for cut in ("", '{"cores": {"IFT1-up', '{"cores": 3}'):
            state.write_text(cut)
            command = [sys.executable, "-m", "calm_needle.sim.rig", str(dossier), "--state", str(state)]
            said = subprocess.run(command, stdin=subprocess.DEVNULL, capture_output=True, text=True, check=True, timeout=60)
            self.assertIn("generator", json.loads(said.stdout)["ports"], cut)
            self.assertTrue(read_object(state))

    def test_killed_in_the_middle_the_old_one_is_still_there(self) -> None:
        file = self.folder / "kept.json"
        write_whole(file, '{"a": 1}')
        with mock.patch("os.fsync", side_effect=KeyboardInterrupt), self.assertRaises(KeyboardInterrupt):
            write_whole(file, '{"a": 2}')
        self.assertEqual(read_object(file), {"a": 1})
        self.assertEqual([p.name for p in self.folder.iterdir()], ["kept.json"])


class TwoOnOneFolder(unittest.TestCase):  # F4
    def test_the_second_is_told_who_holds_it(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            first = Workshop(Path(name))
            first.lock.say("the one at http://127.0.0.1:8123/ (process 7)")
            with self.assertRaises(StoreUnusable) as caught:
                Workshop(Path(name))
            self.assertIn("is in use by the one at http://127.0.0.1:8123/ (process 7)", str(caught.exception))
            first.close()
            Workshop(Path(name)).close()

    def test_an_act_on_a_run_that_has_gone_on_elsewhere_is_refused_and_the_run_is_read_anew(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            conn, job_id = halvern.store_with_job(Path(name))
            one = halvern.new_run(conn, job_id, halvern.clock())
            other = RunBook(conn, one.run.id, clock=halvern.clock())
            one.set_everything()
            one.skip("measured elsewhere")
            with self.assertRaises(RunMovedOn):
                other.skip("the same step, as this one thought")
            self.assertEqual(other.state, one.state)
            self.assertEqual([v.outcome for v in other.state.visits if v.outcome], ["skip"])
            conn.close()


class ManyStreams(PageTest):  # F6
    def test_beyond_what_can_be_spared_a_stream_tells_how_it_stands_and_ends(self) -> None:
        run_id = self.begin_typed_run()
        with contextlib.ExitStack() as held:
            for _ in range(bench_views.MOST_STREAMS):
                self.assertTrue(bench_views.STREAMS.acquire(blocking=False))
                held.callback(bench_views.STREAMS.release)
            answer = self.client.get(f"/bench/{run_id}/stream")
            said = answer.get_data(as_text=True)
            answer.close()
        self.assertIn("retry: 4000", said)
        self.assertIn('"advice"', said)

    def test_one_that_is_let_go_gives_its_place_back(self) -> None:
        run_id = self.begin_typed_run()
        for _ in range(2 * bench_views.MOST_STREAMS):
            self.client.get(f"/bench/{run_id}/stream").close()
        self.assertTrue(bench_views.STREAMS.acquire(blocking=False))
        bench_views.STREAMS.release()


class AClockPutBack(unittest.TestCase):  # F7
    def test_readings_are_struck_by_their_number_and_the_watch_goes_on(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            conn, job_id = halvern.store_with_job(Path(name))
            clock = halvern.clock()
            book = halvern.new_run(conn, job_id, clock)
            book.set_everything()
            book.skip("measured elsewhere")

            def read(*millivolts: float) -> None:
                for value in millivolts:
                    clock.go(2.0)
                    book.add_reading(Quantity(value / 1e3, "V"), kind="live", instrument="meter")

            read(88, 91, 97, 108, 121, 136)
            good = book.seen.kept[-1].id
            clock.go(-3600.0)
            read(146, 151, 148)
            times = [s.t_s for s in book.seen.series.watched]
            self.assertEqual(times, sorted(times), "time goes on for whoever watches")
            book.strike_after(good, "the generator was not as set")
            self.assertEqual([r.value for r in book.seen.kept if r.struck], [0.146, 0.151, 0.148])
            conn.close()


class AClockPutBackBetweenRepairAndTest(unittest.TestCase):  # F7
    """What was measured after a change counts, whatever the clock of the computer says."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        copy_into(Path(folder.name))
        workshop = Workshop(Path(folder.name))
        self.addCleanup(workshop.close)
        self.conn = self.enterContext(workshop.store())
        self.old = mock.Mock(return_value="2020-01-01T00:00:00.000Z")

    def check(self, value: str) -> None:
        seen = {line.part.id: line.seen for _, lines, _ in parts_sweep.view(self.conn, UNSOUND_JOB).regions for line in lines}
        parts_sweep.enter(self.conn, UNSOUND_JOB, {"part": "R4", "value": value, "seen": str(seen["R4"])})

    def replaced(self) -> None:
        repairs.record(self.conn, UNSOUND_JOB, {"part": "R4", "what": "replaced", "looked_over": "yes"})

    def measured(self) -> list[float]:
        counted = parts_sweep.counted(self.conn, UNSOUND_JOB, parts_of_job(self.conn, job_of(self.conn, UNSOUND_JOB)))
        return [m.value for m, _ in counted.get("R4", ())]

    def test_a_part_is_judged_by_what_was_measured_since_it_is_new(self) -> None:
        self.check("500")
        self.replaced()
        self.assertEqual(self.measured(), [])
        with mock.patch.object(parts_sweep, "now_utc", self.old):
            self.check("221")
        self.assertEqual(self.measured(), [221.0])

    def test_a_complaint_tested_after_the_last_change_is_settled(self) -> None:
        intake.add_complaint(self.conn, UNSOUND_JOB, {"words": "weak on every band", "place": ""})
        complaint = intake.complaints_of(self.conn, UNSOUND_JOB)[-1]

        def missing() -> list[str]:
            return [m for m in intake.closing_of(self.conn, UNSOUND_JOB).missing if complaint.words in m]

        self.replaced()
        with mock.patch.object(intake, "now_utc", self.old):
            intake.retest(self.conn, UNSOUND_JOB, complaint.id, {"outcome": "gone", "words": ""})
        self.assertEqual(missing(), [])
        with mock.patch.object(repairs, "now_utc", self.old):
            self.replaced()
        self.assertIn("was tested before R4 was changed", missing()[0])

    def test_bands_heard_after_the_last_change_are_heard_again(self) -> None:
        self.replaced()
        form = {"coupling": "dummy aerial"}
        for line in bands.view(self.conn, UNSOUND_JOB).lines:
            form |= {f"{kind}-{line.band.id}": "alive" for kind in ("off-air", "generator")}
            form |= {f"level-{line.band.id}": f"{line.readings.book_v or 50e-6}", f"coil-{line.band.id}": "2"}
        with mock.patch.object(bands, "now_utc", self.old):
            bands.keep(self.conn, UNSOUND_JOB, form)
        self.assertTrue(bands.view(self.conn, UNSOUND_JOB).whole.passed, bands.view(self.conn, UNSOUND_JOB).whole.sentence)
        self.assertFalse(bands.view(self.conn, UNSOUND_JOB).to_hear_again)
        with mock.patch.object(repairs, "now_utc", self.old):
            self.replaced()
        self.assertTrue(bands.view(self.conn, UNSOUND_JOB).to_hear_again)


class TwoWindows(PageTest):  # F8
    def test_back_in_two_windows_goes_back_once(self) -> None:
        run_id = self.begin_typed_run()
        for _ in range(3):
            self.post(f"/bench/{run_id}/skip", here=self.here(run_id), reason="for the test")
        seen = self.here(run_id)
        self.assertEqual(self.post(f"/bench/{run_id}/back", here=seen).status_code, 303)
        now = self.here(run_id)
        refused = self.post(f"/bench/{run_id}/back", here=seen)
        self.assertEqual(refused.status_code, 409)
        self.assertIn("The run has gone on meanwhile", refused.get_data(as_text=True))
        self.assertEqual(self.here(run_id), now)

    def test_an_act_that_names_no_place_is_refused(self) -> None:
        run_id = self.begin_typed_run()
        self.post(f"/bench/{run_id}/readings", here=self.here(run_id), reading="88m")
        for act, form in (("take", {}), ("skip", {"reason": "x"}), ("back", {}), ("no-peak", {}), ("finish", {}), ("note", {"words": "x"})):
            for here in ("", "0", "after-1", "x"):
                self.assertEqual(self.post(f"/bench/{run_id}/{act}", here=here, **form).status_code, 409, (act, here))


class NumbersNobodyReads(PageTest):  # F9
    def test_typed_readings_that_no_meter_shows_are_refused(self) -> None:
        run_id = self.begin_typed_run()
        for text in ("1_0", "1e37", "1e30 V", "0x10", "²"):
            answer = self.post(f"/bench/{run_id}/readings", here=self.here(run_id), reading=text)
            self.assertEqual(answer.status_code, 422, text)
        with self.workshop.desk(run_id).book() as book:
            self.assertEqual(book.seen.kept, [])


class WhatUnpacksLarge(unittest.TestCase):  # F10
    def test_a_small_file_of_many_pixels_takes_no_more_memory_than_its_budget(self) -> None:
        program = (
            "import resource, sys; from calm_needle.files.photographs import take_in; from calm_needle.errors import FileRefused\n"
            "import calm_needle.files.photographs as p; from PIL import Image; Image.init()\n"
            "content = sys.stdin.buffer.read(); before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss\n"
            "try: take_in(content, name=sys.argv[1]); said = 'taken'\n"
            "except FileRefused: said = 'refused'\n"
            "print(said, (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) * 1024)\n"
        )
        for size, mode, wanted in (((9500, 6200), "P", "refused"), ((5000, 4100), "RGBA", "taken"), ((5000, 4100), "P", "taken")):
            out = io.BytesIO()
            Image.new(mode, size).save(out, "PNG")
            command = [sys.executable, "-c", program, "a.png"]
            said = subprocess.run(command, input=out.getvalue(), capture_output=True, check=True, timeout=120).stdout.split()
            self.assertEqual(said[0].decode(), wanted, size)
            self.assertLess(int(said[1]), MOST_BYTES, (size, mode))

    def test_a_dossier_of_sixty_thousand_faults_is_refused_with_those_that_are_shown(self) -> None:
        data = halvern.data()
        data["stages"] = [{}] * 1999
        data["adjusters"] = [{}] * 60_000
        with self.assertRaises(FileRefused) as caught:
            load_dossier(json.dumps(data).encode(), name="many.json")
        self.assertLessEqual(len(caught.exception.faults), MOST_FAULTS)


class OddDossiers(unittest.TestCase):  # F11
    def test_what_cannot_be_kept_or_shown_is_refused_by_its_path(self) -> None:
        for path, spoil in (
            ("chassis.width_mm", lambda d: d["chassis"].update(width_mm=10**39)),
            ("bands[0].f_high_hz", lambda d: d["bands"][0].update(f_high_hz=1e300)),
            ("description", lambda d: d.update(description="half a \ud800 character")),
            ("key", lambda d: d.update(key="halvern-6b\n")),
            ("adjusters[1].id", lambda d: d["adjusters"][1].update(id="IFT1-lower\n")),
            ("stages[0].name", lambda d: d["stages"][0].update(name="V1\x00")),
            ("x-notes[0]", lambda d: d.update({"x-notes": [-1e16]})),
        ):
            data = halvern.data()
            spoil(data)  # type: ignore[no-untyped-call]
            with self.subTest(path), self.assertRaises(FileRefused) as caught:
                load_dossier(json.dumps(data).encode(), name="odd.json")
            self.assertIn(path, [f.path for f in caught.exception.faults])
        with self.assertRaises(FileRefused):
            load_dossier(halvern.content().replace(b'"width_mm": 3', b'"width_mm": 1' + b"0" * 400, 1), name="digits.json")


class Garbage(PageTest):  # F12
    def test_no_route_answers_garbage_with_a_failure_of_ours(self) -> None:
        outcome = throw(app_over(self.workshop), requests=300, seed=7)
        self.assertEqual(outcome.failures, [])
        self.assertGreater(len(outcome.statuses), 4, "some of it was understood, and refused in different ways")

    def test_a_form_from_elsewhere_is_refused_even_with_our_token(self) -> None:
        self.get("/")
        for headers in ({"Origin": "http://evil.example"}, {"Sec-Fetch-Site": "cross-site"}, {"Origin": "null"}):
            answer = self.client.post("/theme", data={"csrf_token": self.token, "theme": "lamp"}, headers=headers)
            self.assertEqual(answer.status_code, 403, headers)
            answer.close()
        own = self.client.post(
            "/theme", data={"csrf_token": self.token}, headers={"Origin": "http://localhost", "Sec-Fetch-Site": "same-origin"}
        )
        self.assertEqual(own.status_code, 303)
        own.close()

    def test_no_address_leads_away(self) -> None:
        for back in (
            "/\t//evil.example",
            "//evil.example",
            "/\\evil.example",
            "/%0d%0aX: 1",
            "http://evil.example",
            "/\n/evil.example",
            "/..//x",
        ):
            where = self.post("/theme", theme="lamp", back=back).headers["Location"]
            self.assertRegex(where, r"^/(?!/)[\w/.%-]*$", back)

    def test_the_page_of_failures_cannot_itself_fail(self) -> None:
        logging.disable(logging.CRITICAL)
        self.addCleanup(logging.disable, logging.NOTSET)
        with mock.patch.object(failures, "render_template", side_effect=RuntimeError("the template is gone")):
            answer = self.get("/nowhere")
        self.assertEqual(answer.status_code, 404)
        self.assertEqual(answer.mimetype, "text/plain")
        self.assertIn("default-src 'none'", answer.headers["Content-Security-Policy"])

    def test_a_port_that_is_none_is_said_in_a_line(self) -> None:
        said = subprocess.run(
            [sys.executable, "-m", "calm_needle.cli", "serve", "--port", "99999"], capture_output=True, text=True, check=False
        )
        self.assertEqual(said.returncode, 2)
        self.assertIn("“99999” is no port", said.stderr)
        self.assertNotIn("Traceback", said.stderr)


class BesideEachOther(PageTest):  # F13
    def test_two_benches_in_one_browser_keep_their_own_cookies(self) -> None:
        for port in (8123, 8124):
            answer = create_app(self.workshop, port=port).test_client().get("/")
            self.assertIn(f"calm-needle-{port}=", answer.headers["Set-Cookie"])
            answer.close()

    def test_a_database_without_a_byte_is_not_taken_for_a_new_one(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            (Path(name) / db.FILE_NAME).write_bytes(b"")
            with self.assertRaises(StoreUnusable) as caught:
                Workshop(Path(name))
            self.assertIn("without a single byte", str(caught.exception))
            (Path(name) / db.FILE_NAME).unlink()
            Workshop(Path(name)).close()

    def test_stand_ins_say_the_standards_codes(self) -> None:
        instrument = StandIn()
        instrument.answer("*IDN? 3")
        self.assertEqual(instrument.answer("SYST:ERR?"), '-108,"Parameter not allowed"')
        for _ in range(QUEUE_LENGTH + 5):
            instrument.answer("NOSUCH:THING 1")
        codes = [str(instrument.answer("SYST:ERR?")).split(",")[0] for _ in range(QUEUE_LENGTH)]
        self.assertEqual(codes, ["-113"] * (QUEUE_LENGTH - 1) + ["-350"])


class WhatIsWatched(unittest.TestCase):
    def test_nothing_here_reads_what_no_instrument_here_can(self) -> None:
        self.assertIsNone(Equipment().read(Watched("frequency", "Hz", "anywhere")))
