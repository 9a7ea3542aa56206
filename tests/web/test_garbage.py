"""Requests that no page sends: refused, and never a failure of ours."""

import logging
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from calm_needle.errors import StoreUnusable
from calm_needle.sim.instruments.stand_in import QUEUE_LENGTH, StandIn
from calm_needle.store import db
from calm_needle.web import failures
from calm_needle.web.app import create_app
from calm_needle.work.workshop import Workshop
from tests.support.app import app_over
from tests.support.client import PageTest
from tests.support.garbage import throw


class Garbage(PageTest):
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


class BesideEachOther(PageTest):
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


if __name__ == "__main__":
    unittest.main()
