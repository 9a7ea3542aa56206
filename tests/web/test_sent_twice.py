"""What is sent twice is done once, and gets the first answer; what was refused may be sent again."""

import re
import tempfile
import threading
import unittest
from pathlib import Path

from calm_needle.clock import now_utc
from calm_needle.store import act_tokens, shelf
from calm_needle.work import once
from calm_needle.work.jobs import entries
from calm_needle.work.workshop import Workshop
from tests.support.client import TYPED_JOB, PageTest

NOTES = f"/jobs/{TYPED_JOB}/notes"
NOTE = {"kind": "suspicion", "what": "C14 leaks", "because": "the grid is positive", "test": "volts at the grid"}


class SentTwice(PageTest):
    def key(self, path: str) -> str:
        found = re.search(r'name="once" value="([^"]+)"', self.get(path).get_data(as_text=True))
        assert found
        return found[1]

    def notes(self) -> int:
        with self.workshop.store() as conn:
            return len(entries.of_kind(conn, TYPED_JOB, "suspicion"))

    def test_a_double_click_makes_one_and_both_get_the_same_answer(self) -> None:
        key = self.key(NOTES)
        first, second = (self.post(NOTES, once=key, **NOTE) for _ in range(2))
        self.assertEqual((first.status_code, first.headers["Location"]), (second.status_code, second.headers["Location"]))
        self.assertEqual(self.notes(), 1)
        self.post(NOTES, once=key, **{**NOTE, "what": "C15 leaks"})
        self.assertEqual(self.notes(), 2, "another content is another act, though the page is an old one")
        self.post(NOTES, once=self.key(NOTES), **NOTE)
        self.assertEqual(self.notes(), 3, "said again on a fresh page, it is meant")

    def test_a_job_is_opened_once_and_so_is_a_run(self) -> None:
        with self.workshop.store() as conn:
            before = shelf.count_jobs(conn)
        key = self.key("/")
        form = {"model": "halvern-6b", "serial": "77", "complaint": "hums", "bench": "typed"}
        opened = {self.post("/jobs", once=key, **form).headers["Location"] for _ in range(3)}
        self.assertEqual(len(opened), 1)
        with self.workshop.store() as conn:
            self.assertEqual(shelf.count_jobs(conn), before + 1)

    def test_what_was_refused_may_be_sent_again(self) -> None:
        key = self.key(NOTES)
        for _ in range(2):
            self.assertEqual(self.post(NOTES, once=key, **{**NOTE, "what": ""}).status_code, 422)
        self.assertEqual(self.post(NOTES, once=key, **NOTE).status_code, 303)

    def test_one_of_which_nobody_knows_what_came_is_not_done_again(self) -> None:
        token = once.token_of("k" * 20, f"{NOTES}?", NOTE.items())
        with self.workshop.store() as conn:
            act_tokens.claim(conn, token, at_utc=now_utc(conn))  # and the program ended over it
        answer = self.post(NOTES, once="k" * 20, **NOTE)
        self.assertEqual(answer.status_code, 409)
        self.assertIn("see whether it is there", answer.get_data(as_text=True))
        self.assertEqual(self.notes(), 0)

    def test_every_form_of_every_page_of_a_job_has_a_key_of_its_own(self) -> None:
        for page in ("", "/notes", "/intake", "/repairs", "/verify", "/start", "/bands", "/dial", "/photographs", "/guided"):
            with self.subTest(page):
                keys = re.findall(r'name="once" value="([^"]+)"', self.get(f"/jobs/{TYPED_JOB}{page}").get_data(as_text=True))
                self.assertGreater(len(keys), 0)
                self.assertEqual(len(set(keys)), len(keys))


class AtTheSameMoment(unittest.TestCase):
    def test_of_many_that_claim_one_key_one_does_it_and_all_get_its_answer(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        workshop = Workshop(Path(folder.name))
        self.addCleanup(workshop.close)
        led: list[str | None] = []

        def send() -> None:
            found = once.claim(workshop, "a token")
            if found is None:
                once.done(workshop, "a token", "/jobs/3")
            led.append(found)

        workers = [threading.Thread(target=send) for _ in range(8)]
        for worker in workers:
            worker.start()
        for worker in workers:
            worker.join(30.0)
        self.assertEqual(sorted(map(str, led)), ["/jobs/3"] * 7 + ["None"])
