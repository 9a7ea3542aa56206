"""Requests that nobody means, thrown at every route: how many were answered, and whether any by a failure of ours."""

import logging
import tempfile
import time
from pathlib import Path

from calm_needle.web.app import create_app
from calm_needle.work.workshop import Workshop
from tests.support.demo import copy_into
from tests.support.garbage import throw

REQUESTS, SEED = 5000, 1


def run() -> list[str]:
    """Return one line of statuses, and one for each failure."""
    logging.getLogger("calm_needle").setLevel(logging.CRITICAL)
    with tempfile.TemporaryDirectory() as folder:
        copy_into(Path(folder))
        workshop = Workshop(Path(folder))
        try:
            began = time.perf_counter()
            outcome = throw(create_app(workshop), requests=REQUESTS, seed=SEED)
        finally:
            workshop.close()
    told = ", ".join(f"{count} × {status}" for status, count in sorted(outcome.statuses.items()))
    lines = [f"{REQUESTS} requests in {time.perf_counter() - began:.0f} s: {told}; failures of ours {len(outcome.failures)}; wanted 0"]
    return [*lines, *outcome.failures[:20]]
