"""A test client that knows the pages' tokens, and a workshop in a folder of its own."""

import re
import tempfile
import unittest
from pathlib import Path
from typing import Any

from flask.testing import FlaskClient
from werkzeug.test import TestResponse

from calm_needle.store import shelf
from calm_needle.work.soundness import safe_start
from tests.support.app import app_over
from tests.support.demo import copy_into
from tests.support.workshops import workshop_in

TYPED_JOB, OLDER_RUN = 3, 1
TAKES_S = 0.5  # from one page to the next, at least


#: A page's tokens are dice: looking for "X4" in a page finds it in one of them now and then.
_TOKENS = re.compile(r"""(?<=name=["']csrf[-_]token["']) (?:value|content)=["'][^"']*["']""")


def _one_line(text: str) -> str:
    return " ".join(text.split())


def _said(text: str) -> str:
    """A page without its tokens, on one line."""
    return _TOKENS.sub("", _one_line(text))


class PageTest(unittest.TestCase):
    """Pages over the demo world, without a browser; the bench is that of typed readings."""

    demo = True
    off = False  # whether it is said of every set that it is off

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        if self.demo:
            copy_into(Path(folder.name))
        self.workshop = workshop_in(Path(folder.name))
        self.addCleanup(self.workshop.close)
        self.client: FlaskClient = app_over(self.workshop).test_client()
        self.token = ""
        if self.off:
            with self.workshop.store() as conn:
                job_ids = [job.id for job in shelf.newest_jobs(conn, limit=100)]
            for job_id in job_ids:
                self.say_off(job_id)

    def say_off(self, job_id: int) -> None:
        """Say that a set is off, bled and proved, as one does before anything in it is touched."""
        with self.workshop.store() as conn:
            safe_start.switch_off(conn, job_id)

    def get(self, path: str, **options: Any) -> TestResponse:
        self.workshop.clock.wait(TAKES_S)
        answer = self.client.get(path, **options)
        self.addCleanup(answer.close)
        if found := re.search(
            r'name="csrf-token" content="([^"]+)"', answer.get_data(as_text=True) if answer.mimetype == "text/html" else ""
        ):
            self.token = found[1]
        return answer

    def post(self, path: str, *, json: bool = False, **form: Any) -> TestResponse:
        if not self.token:
            self.get("/")
        headers = {"Accept": "application/json"} if json else {}
        self.workshop.clock.wait(TAKES_S)
        answer = self.client.post(path, data={"csrf_token": self.token, **form}, headers=headers)
        self.addCleanup(answer.close)
        return answer

    def assertIn(self, member: Any, container: Any, msg: Any = None) -> None:  # noqa: N802
        """A whole page is no message, and how its source is broken into lines is nobody's business."""
        if isinstance(container, str) and len(container) > 2000:
            self.assertTrue(_one_line(member) in _one_line(container), msg or f"{member!r} is not on the page")
        else:
            super().assertIn(member, container, msg)

    def assertNotIn(self, member: Any, container: Any, msg: Any = None) -> None:  # noqa: N802
        if isinstance(container, str) and len(container) > 2000:
            self.assertFalse(_one_line(member) in _said(container), msg or f"{member!r} is on the page")
        else:
            super().assertNotIn(member, container, msg)

    def begin_typed_run(self) -> int:
        """Begin the IF run of the typed job, confirm its set-up, and come to its first measurement."""
        where = self.post(f"/jobs/{TYPED_JOB}/runs", phase="intermediate frequency").headers["Location"]
        run_id = int(where.rsplit("/", 1)[1])
        self.post(f"{where}/set", here=self.here(run_id))
        return run_id

    def here(self, run_id: int) -> str:
        """What a page that shows the run as it is sends along."""
        with self.workshop.desk(run_id).book() as book:
            return book.here
