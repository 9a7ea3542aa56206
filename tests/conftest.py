"""How pytest runs these tests: warnings are errors, a skipped test is a failed one, what the processes share is cleared away."""

import gc
import os
import shutil
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest

for _name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS"):
    os.environ.setdefault(_name, "1")  # numpy's threads would fight over the processors with the other tests


gc.set_threshold(30_000, 20, 20)  # a fifth of the time went into looking for what nobody holds any more


#: Tests put their folders where nothing has to wait for a disk, if there is room; who tests that waiting has a disk of his own making.
IN_MEMORY, ROOM_BYTES = Path("/dev/shm"), 2_000_000_000
if "TMPDIR" not in os.environ and IN_MEMORY.is_dir() and shutil.disk_usage(IN_MEMORY).free > ROOM_BYTES:
    os.environ["TMPDIR"] = str(IN_MEMORY)
    tempfile.tempdir = None

LONGEST = ("tests/jobs/", "test_killed_in_a_deed", "test_rehearsal", "test_sudden_death", "tests/browser/", "tests/whole/")


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item, call: pytest.CallInfo[None]) -> Iterator[None]:
    """A skipped test is a test that did not run: nothing here may skip itself."""
    report = yield
    if report.skipped:
        report.outcome, report.longrepr = "failed", f"{item.nodeid} skipped itself: {report.longrepr}"
    return report


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes longest begins first, so that no processor waits for the last."""
    items.sort(key=lambda item: next((i for i, place in enumerate(LONGEST) if place in item.nodeid), len(LONGEST)))


def pytest_sessionfinish(session: pytest.Session) -> None:
    """Clear away what the processes of this run shared."""
    if browser := sys.modules.get("tests.support.browser"):
        browser.close_shared_browser()
    if not hasattr(session.config, "workerinput"):
        for left in Path(tempfile.gettempdir()).glob("calm-needle-tests-*"):
            left.unlink(missing_ok=True)
