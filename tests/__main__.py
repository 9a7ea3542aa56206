"""Run the tests: everything, or the modules named. The whole jobs in the browser, which take longest, run beside the others.

python -m tests [--no-browser] [tests.core.test_quantities …]
"""

import doctest
import importlib
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
LONG = ("tests.browser.test_whole_job", "tests.browser.test_typed_job", "tests.browser.test_before_alignment", "tests.browser.test_reckon")


def main(arguments: list[str]) -> int:
    named = [a for a in arguments if not a.startswith("-")]
    if named:
        return _run(unittest.defaultTestLoader.loadTestsFromNames(named))
    if "--long-only" in arguments:
        return _run(unittest.defaultTestLoader.loadTestsFromNames(LONG))
    beside = None
    with tempfile.TemporaryFile("w+", encoding="utf-8") as said:
        if "--no-browser" not in arguments:
            beside = _beside(said)
        failed = _run(_suite(browser="--no-browser" not in arguments))
        if beside is not None:
            print("— whole jobs in the browser", flush=True)
            failed += beside.wait()
            said.seek(0)
            print(said.read(), flush=True)
    return min(failed, 1)


def _beside(said: TextIO) -> "subprocess.Popen[str]":
    # numpy's threads would fight over two processors
    quiet = {**os.environ, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
    command = [sys.executable, "-W", "error", "-m", "tests", "--long-only"]
    return subprocess.Popen(command, stdout=said, stderr=subprocess.STDOUT, text=True, env=quiet)


def _suite(*, browser: bool) -> unittest.TestSuite:
    suite = unittest.TestSuite()
    for module in _modules(tests):
        name = module.__name__
        if name.rpartition(".")[2].startswith("test_") and name not in LONG and (browser or not name.startswith(BROWSER)):
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
