"""The examples in docstrings, for `python -m unittest`; pytest finds them by itself."""

import doctest
import importlib
import pkgutil
import unittest

import calm_needle


def load_tests(_loader: unittest.TestLoader, _tests: unittest.TestSuite, _pattern: str | None) -> unittest.TestSuite:
    found = pkgutil.walk_packages(calm_needle.__path__, "calm_needle.")
    modules = [importlib.import_module(info.name) for info in found if not info.name.endswith("__main__")]
    return unittest.TestSuite(doctest.DocTestSuite(m) for m in modules)
