"""Run the tests: everything, or the modules named. The whole jobs in the browser, which take longest, run beside the others.

python -m tests [--no-browser] [tests.core.test_quantities …]
"""

import contextlib
import doctest
import importlib
import itertools
import os
import pkgutil
import subprocess
import sys
import tempfile
import time
import unittest
import warnings
from types import ModuleType
from typing import TextIO

import calm_needle
import tests

BROWSER = "tests.browser"
# What runs beside the rest, each group in a process of its own: the first waits for readings most of its time.
BESIDE = (
    (
        "tests.browser.test_whole_job",
        "tests.work.soundness.test_boat_house",
        "tests.work.instruments.test_meters",
        "tests.whole.test_sudden_death",
    ),
    ("tests.browser.test_before_alignment", "tests.browser.test_reckon", "tests.browser.test_every_page"),
)


def main(arguments: list[str]) -> int:
    named = [a for a in arguments if not a.startswith("-")]
    if named:
        return _run(unittest.defaultTestLoader.loadTestsFromNames(named))
    browser = "--no-browser" not in arguments
    with contextlib.ExitStack() as stack:
        beside = [_beside(group, stack.enter_context(tempfile.TemporaryFile("w+", encoding="utf-8"))) for group in BESIDE if browser]
        failed = _run(_suite(browser=browser))
        for group, process, said in beside:
            print(f"— {', '.join(group)}", flush=True)
            failed += process.wait()
            said.seek(0)
            print(said.read(), flush=True)
    return min(failed, 1)


def _beside(group: tuple[str, ...], said: TextIO) -> "tuple[tuple[str, ...], subprocess.Popen[str], TextIO]":
    # numpy's threads would fight over two processors
    quiet = {**os.environ, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
    command = [sys.executable, "-W", "error", "-m", "tests", *group]
    return group, subprocess.Popen(command, stdout=said, stderr=subprocess.STDOUT, text=True, env=quiet), said


def _suite(*, browser: bool) -> unittest.TestSuite:
    suite = unittest.TestSuite()
    for module in _modules(tests):
        name = module.__name__
        wanted = name not in itertools.chain(*BESIDE) if browser else not name.startswith(BROWSER)
        if name.rpartition(".")[2].startswith("test_") and wanted:
            suite.addTests(unittest.defaultTestLoader.loadTestsFromModule(module))
    for module in _modules(calm_needle):
        suite.addTests(doctest.DocTestSuite(module))
    return suite


def _modules(package: ModuleType) -> list[ModuleType]:
    found = pkgutil.walk_packages(package.__path__, package.__name__ + ".")
    return [importlib.import_module(info.name) for info in found if not info.name.endswith("__main__")]


def _run(suite: unittest.TestSuite) -> int:
    warnings.simplefilter("error")
    began = time.monotonic()
    result = unittest.TextTestRunner(verbosity=1, warnings="error").run(suite)
    bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - bad - len(result.skipped)
    print(f"{time.monotonic() - began:.0f} s\n{passed} passed, {bad} failed, {len(result.skipped)} skipped", flush=True)
    # A skipped test is a test that did not run: nothing here may skip itself.
    return 0 if result.wasSuccessful() and not result.skipped and result.testsRun else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
