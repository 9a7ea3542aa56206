"""What no test uses otherwise can still be loaded: the pictures' command, the measurements."""

import importlib
import pkgutil
import unittest

import benchmarks
import tools


class Loads(unittest.TestCase):
    def test_every_module_of_the_tools_and_benchmarks(self) -> None:
        for package in (tools, benchmarks):
            names = [m.name for m in pkgutil.iter_modules(package.__path__, f"{package.__name__}.") if not m.name.endswith("__main__")]
            self.assertTrue(names)
            for name in names:
                with self.subTest(name):
                    importlib.import_module(name)
