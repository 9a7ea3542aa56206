"""Hands that press twice, type into old windows and edit the same at once, over HTTP; and what must be true of the store then."""

import contextlib
import http.client
import json
import re
import sqlite3
import threading
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import count
from pathlib import Path
from urllib.parse import urlencode

from calm_needle.store import db

JOB = 3  # of the demo world, whose readings are typed
ONCE = re.compile(r'name="once" value="([^"]+)"')


@dataclass
class Deeds:
    """What was sent, by the sign that it bears, and how it was answered: acknowledged, refused, or without an answer."""

    acknowledged: set[str] = field(default_factory=set)
    refused: set[str] = field(default_factory=set)
    unanswered: set[str] = field(default_factory=set)
    statuses: Counter[int] = field(default_factory=Counter)
    numbers: Iterator[int] = field(default_factory=lambda: count(10_000))  # of parts, each once
    lock: threading.Lock = field(default_factory=threading.Lock)

    def note(self, sign: str, statuses: list[int]) -> None:
        """Take down how all the sendings of one deed were answered; 0 for no answer."""
        with self.lock:
            self.statuses.update(statuses)
            if 303 in statuses:
                self.acknowledged.add(sign)
            elif 0 in statuses or 409 in statuses:
                self.unanswered.add(sign)
            else:
                self.refused.add(sign)


class RoughHand:
    """One page of a browser: its cookie and token, and deeds with signs of their own."""

    def __init__(self, port: int, name: str, deeds: Deeds) -> None:
        self._port, self._name, self._deeds, self._number = port, name, deeds, 0
        self._headers: dict[str, str] = {}
        page, answer = self._get("/")
        self._headers["Cookie"] = (answer.headers["Set-Cookie"] or "").split(";")[0]
        self._token = re.search(r'name="csrf-token" content="([^"]+)"', page)[1]  # type: ignore[index]

    def twice(self) -> None:
        """A note, sent twice at the same moment with the key of one form."""
        sign = self._sign("note")
        page, _ = self._get(f"/jobs/{JOB}/notes")
        form = {"kind": "suspicion", "what": sign, "because": "it hums", "test": "volts", "once": ONCE.search(page)[1]}  # type: ignore[index]
        statuses: list[int] = []
        senders = [threading.Thread(target=lambda: statuses.append(self._send(f"/jobs/{JOB}/notes", form))) for _ in range(2)]
        for sender in senders:
            sender.start()
        for sender in senders:
            sender.join()
        self._deeds.note(sign, statuses)

    def old_window(self) -> None:
        """A value of a part, typed into a page on which a later one does not show."""
        sign = self._sign("value")
        form = {"part": "R1", "value": "47k", "seen": "0", "sure-value": "47k"}
        self._deeds.note(sign, [self._send(f"/jobs/{JOB}/parts", form)])

    def add_part(self) -> None:
        """A part that no paper lists, added while others add theirs."""
        part = f"R{next(self._deeds.numbers)}"
        self._deeds.note(part, [self._send(f"/jobs/{JOB}/parts/add", {"part": f"{part} 470k", "region": "output"})])

    def say_off(self) -> None:
        """Say that the set is off, so that its parts may be metered."""
        self._send(f"/jobs/{JOB}/start/power", {"to": "off", "back": "/"})

    def _sign(self, what: str) -> str:
        self._number += 1
        return f"{what}-{self._name}-{self._number}"

    def _get(self, path: str) -> tuple[str, http.client.HTTPResponse]:
        with contextlib.closing(http.client.HTTPConnection("127.0.0.1", self._port, timeout=60)) as line:
            line.request("GET", path, headers=self._headers)
            answer = line.getresponse()
            return answer.read().decode(), answer

    def _send(self, path: str, form: dict[str, str]) -> int:
        headers = {**self._headers, "Content-Type": "application/x-www-form-urlencoded"}
        try:
            with contextlib.closing(http.client.HTTPConnection("127.0.0.1", self._port, timeout=60)) as line:
                line.request("POST", path, urlencode({"csrf_token": self._token, **form}), headers)
                answer = line.getresponse()
                answer.read()
                return answer.status
        except (OSError, http.client.HTTPException):
            return 0


def wrong_with(folder: Path, deeds: Deeds) -> list[str]:
    """Return what of the deeds the store does not hold as it was answered: lost, doubled, or kept though refused."""
    with contextlib.closing(sqlite3.connect(folder / db.FILE_NAME)) as conn:
        details = (json.loads(row[0]) for row in conn.execute("SELECT detail FROM intake_entry WHERE kind = 'suspicion'"))
        kept = Counter(str(d.get("what")) for d in details)
        (own,) = conn.execute(
            "SELECT d.content FROM job j JOIN radio_set s ON s.id = j.set_id JOIN model m ON m.id = s.model_id "
            "JOIN dossier d ON d.id = coalesce(s.dossier_id, m.dossier_id) WHERE j.id = ?",
            (JOB,),
        ).fetchone()
        kept.update(str(p["id"]) for p in json.loads(own)["parts"])
        values = conn.execute("SELECT count(*) FROM part_check WHERE job_id = ? AND part = 'R1'", (JOB,)).fetchone()[0]
        whole = conn.execute("PRAGMA integrity_check").fetchall()
    out = [] if whole == [("ok",)] else [f"the store is damaged: {whole[:3]}"]
    typed = {s for s in deeds.acknowledged if s.startswith("value-")}
    unknown = {s for s in deeds.unanswered if s.startswith("value-")}
    if not len(typed) <= values <= len(typed) + len(unknown):
        out.append(f"{len(typed)} values acknowledged, {len(unknown)} without an answer, {values} kept")
    for sign in deeds.acknowledged - typed:
        if kept[sign] != 1:
            out.append(f"{sign} was acknowledged, and is there {kept[sign]} times")
    out += [f"{sign} had no answer, and is there {kept[sign]} times" for sign in deeds.unanswered if kept[sign] > 1]
    out += [f"{sign} was refused, and is there" for sign in deeds.refused if kept[sign]]
    if 500 in deeds.statuses:
        out.append(f"{deeds.statuses[500]} failures of ours")
    return out
