"""Run the tests: everything, or the modules named. Three processes share them, the longest first.

python -m tests [--no-browser] [tests.core.test_quantities …]
"""

import contextlib
import doctest
import faulthandler
import importlib
import io
import os
import pkgutil
import sys
import time
import unittest
import warnings
from concurrent.futures import ProcessPoolExecutor, as_completed
from types import ModuleType
from typing import NamedTuple

import calm_needle
import tests

BROWSER = "tests.browser"
DOCTESTS = "the examples in docstrings"
# The whole jobs wait for readings most of their time, so three fit two processors. What takes longest begins first.
PROCESSES, SHOWN = 3, 6
LONGEST = (
    "tests.browser.test_whole_job_corvane",
    "tests.browser.test_to_certificate",
    "tests.browser.test_rewound",
    "tests.browser.test_whole_job",
    "tests.browser.test_typed_job",
    "tests.browser.test_whole_job_scout",
    "tests.browser.test_every_page",
    "tests.browser.test_before_alignment",
    "tests.browser.test_all_kinds",
    "tests.work.bench.test_rehearsal",
    "tests.work.test_rehearsals",
    "tests.whole.test_killed_in_a_deed",
    "tests.whole.test_sudden_death",
    "tests.whole.test_attack",
)


class Ran(NamedTuple):
    """What came of one module: how many tests, how many failed and were skipped, what was printed, seconds."""

    name: str
    tests: int
    bad: int
    skipped: int
    said: str
    seconds: float


def main(arguments: list[str]) -> int:
    named = [a for a in arguments if not a.startswith("-")]
    began = time.monotonic()
    if named:
        return _report([_run(name) for name in named], began=began)
    names = _in_order(browser="--no-browser" not in arguments)
    for name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS"):
        os.environ[name] = "1"  # numpy's threads would fight over two processors
    ran = []
    with ProcessPoolExecutor(PROCESSES) as pool:
        for future in as_completed([pool.submit(_run, name) for name in names]):
            ran.append(future.result())
            print("." * ran[-1].tests, end="", flush=True)
    return _report(ran, began=began)


def _in_order(*, browser: bool) -> list[str]:
    found = [name for name in _modules(tests) if name.rpartition(".")[2].startswith("test_") and (browser or not name.startswith(BROWSER))]
    assert set(LONGEST) <= set(_modules(tests)), "a module that is named as long is not there"
    return [*(name for name in LONGEST if name in found), *(name for name in found if name not in LONGEST), DOCTESTS]


def _run(name: str) -> Ran:
    began = time.monotonic()
    faulthandler.enable()  # a process that dies says where
    warnings.simplefilter("error")
    said = io.StringIO()
    with contextlib.redirect_stdout(said):
        result = unittest.TextTestRunner(said, verbosity=0, warnings="error").run(_suite(name))
        if "tests.support.browser" in sys.modules:
            importlib.import_module("tests.support.browser").close_shared_browser()
    bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return Ran(name, result.testsRun, bad, len(result.skipped), said.getvalue(), time.monotonic() - began)


def _suite(name: str) -> unittest.TestSuite:
    if name != DOCTESTS:
        return unittest.defaultTestLoader.loadTestsFromName(name)
    return unittest.TestSuite(doctest.DocTestSuite(importlib.import_module(module)) for module in _modules(calm_needle))


def _modules(package: ModuleType) -> list[str]:
    found = pkgutil.walk_packages(package.__path__, package.__name__ + ".")
    return [info.name for info in found if not info.name.endswith("__main__")]


def _report(ran: list[Ran], *, began: float) -> int:
    total, bad, skipped = sum(r.tests for r in ran), sum(r.bad for r in ran), sum(r.skipped for r in ran)
    empty = [r.name for r in ran if not r.tests]
    print()
    for module in ran:
        if module.bad or module.skipped or not module.tests:
            print(f"— {module.name}\n{module.said}", flush=True)
    longest = sorted(ran, key=lambda r: -r.seconds)[:SHOWN]
    print(f"{time.monotonic() - began:.0f} s; longest: {', '.join(f'{r.name} {r.seconds:.0f} s' for r in longest)}")
    print(f"{total - bad - skipped} passed, {bad} failed, {skipped} skipped", flush=True)
    # A skipped test is a test that did not run, and so is a module without any: nothing here may skip itself.
    return 1 if bad or skipped or empty or not total else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
