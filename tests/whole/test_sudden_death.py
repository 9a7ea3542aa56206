"""The server is killed while readings pour in, again and again: nothing that was acknowledged is lost."""

import contextlib
import http.client
import json
import os
import re
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import unittest
from pathlib import Path
from urllib.parse import urlencode

from calm_needle.store import db
from tests.support.client import TYPED_JOB
from tests.support.demo import copy_into

KILLS = 4
HANDS = 3  # pages that type at the same time


class Server:
    """The real server in a process of its own."""

    def __init__(self, folder: Path, *, quota_bytes: int | None = None) -> None:
        command = [sys.executable, "-m", "calm_needle.cli", "serve", "--no-browser", "--port", "0", "--data", str(folder)]
        if quota_bytes:
            limit = f"import resource as r, sys; r.setrlimit(r.RLIMIT_FSIZE, ({quota_bytes}, r.RLIM_INFINITY))"
            command = [sys.executable, "-c", f"{limit}; from calm_needle.cli import main; sys.exit(main(sys.argv[1:]))", *command[3:]]
        self._process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert self._process.stdout is not None
        self.port = int(re.search(r":(\d+)/", self._process.stdout.readline())[1])  # type: ignore[index]

    def kill(self) -> None:
        os.kill(self._process.pid, signal.SIGKILL)
        self._process.wait()
        assert self._process.stdout is not None
        self._process.stdout.close()


class Hand:
    """One page: its cookie and token, and what was acknowledged to it."""

    def __init__(self, port: int) -> None:
        self._http = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
        page = self.get("/")
        self._cookie = self._last.headers["Set-Cookie"].split(";")[0]
        self._token = re.search(r'name="csrf-token" content="([^"]+)"', page)[1]  # type: ignore[index]

    def get(self, path: str) -> str:
        self._http.request("GET", path, headers={"Cookie": getattr(self, "_cookie", "")})
        self._last = self._http.getresponse()
        return self._last.read().decode()

    def send(self, path: str, **form: object) -> tuple[int, str]:
        """Send a form as a page does; the status and the page that comes back."""
        headers = {"Cookie": self._cookie, "Content-Type": "application/x-www-form-urlencoded"}
        self._http.request("POST", path, urlencode({"csrf_token": self._token, **form}), headers)
        answer = self._http.getresponse()
        return answer.status, answer.read().decode()

    def post(self, path: str, **form: object) -> dict[str, str]:
        body = urlencode({"csrf_token": self._token, **form})
        headers = {"Cookie": self._cookie, "Accept": "application/json", "Content-Type": "application/x-www-form-urlencoded"}
        self._http.request("POST", path, body, headers)
        answer = self._http.getresponse()
        text = answer.read().decode()
        if answer.status == 303:
            return {"go": answer.headers["Location"]}
        assert answer.status == 200, text[:300]
        return dict(json.loads(text))

    def close(self) -> None:
        self._http.close()


class KilledUnderRoughHands(unittest.TestCase):
    """Few of the kills of `./run bench kills`."""

    def test_what_was_acknowledged_is_there_once(self) -> None:
        from benchmarks import kills

        line, *wrong = kills.run(kills=2, acts=12)
        self.assertEqual(wrong, [], line)
        self.assertRegex(line, r"^(2[4-9]|[3-9]\d) acts acknowledged through 2 kills")


class KilledWhileReadingsPourIn(unittest.TestCase):
    def test_no_acknowledged_reading_is_lost_and_the_run_goes_on_where_it_was(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name)
        copy_into(path)
        acknowledged: set[float] = set()
        titles = set()
        where, here = "", ""
        for life in range(KILLS):
            server = Server(path)
            hand = Hand(server.port)
            if not where:
                where = hand.post(f"/jobs/{TYPED_JOB}/runs", phase="intermediate frequency")["go"]
                hand.post(f"{where}/set", here=self._here(hand.get(where)))
                first = self._here(hand.get(where))
                hand.post(f"{where}/readings", here=first, reading="1.5")
                hand.post(f"{where}/take", here=first)
            page = hand.get(where)
            titles.add(re.search(r"<h1>(.*?)</h1>", page)[1])  # type: ignore[index]
            here = self._here(page)
            hand.close()
            enough = threading.Event()
            pours = [
                threading.Thread(target=self._pour, args=(server.port, where, here, 1.0 + life + n / 10.0, acknowledged, enough))
                for n in range(HANDS)
            ]
            for pour in pours:
                pour.start()
            enough.wait(60)
            server.kill()
            for pour in pours:
                pour.join(60)
            self._check(path, acknowledged)
        self.assertGreater(len(acknowledged), 10 * KILLS)
        self.assertEqual(titles, {"Peak the lower core of IFT2"})
        print(f"{len(acknowledged)} readings acknowledged through {KILLS} kills, none lost")

    @staticmethod
    def _here(page: str) -> str:
        return re.search(r'name="here" value="([\w-]+)"', page)[1]  # type: ignore[index]

    @staticmethod
    def _pour(port: int, where: str, here: str, start: float, acknowledged: set[float], enough: threading.Event) -> None:
        try:
            with contextlib.closing(Hand(port)) as hand:
                for i in range(500):
                    value = round(start + i / 10000.0, 4)
                    hand.post(f"{where}/readings", here=here, reading=f"{value:.4f}")
                    acknowledged.add(value)
                    if i >= 10:
                        enough.set()
        except (OSError, http.client.HTTPException):
            return  # killed
        finally:
            enough.set()

    def _check(self, path: Path, acknowledged: set[float]) -> None:
        conn = sqlite3.connect(path / db.FILE_NAME)
        try:
            self.assertEqual(conn.execute("PRAGMA integrity_check").fetchall(), [("ok",)])
            kept = {row[0] for row in conn.execute("SELECT value FROM reading WHERE kind = 'typed'")}
        finally:
            conn.close()
        self.assertEqual({v for v in acknowledged if v not in kept}, set(), "acknowledged and lost")
