"""Who may import whom: the picture in ARCHITECTURE.md is the rule, and the code is held to it both ways."""

import ast
import re
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[2]
PACKAGE = ROOT / "calm_needle"
ARROW = re.compile(r"^\s*(\w+)\s*-->\s*(\w+)", re.MULTILINE)
# What the pure core must not reach: clock, files, wires, randomness that is not passed in.
FORBIDDEN_IN_CORE = {"time", "datetime", "os", "pathlib", "socket", "sqlite3", "threading", "subprocess", "flask", "pyvisa", "sys"}


def imports_of(file: Path) -> set[str]:
    out = set()
    for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            out |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, f"{file}: imports are absolute here"
            # `from calm_needle.store import runs` names a module of store
            out |= {f"{node.module}.{alias.name}" for alias in node.names}
    return out


def place_of(file: Path) -> str:
    """The box of the picture a module stands in: its folder, or its own name at the top."""
    relative = file.relative_to(PACKAGE)
    return relative.parts[0].removesuffix(".py")


def arrows_of_code() -> set[tuple[str, str]]:
    out = set()
    for file in PACKAGE.rglob("*.py"):
        for name in imports_of(file):
            parts = name.split(".")
            if parts[0] == "calm_needle" and len(parts) > 1 and parts[1] != place_of(file):
                out.add((place_of(file), parts[1]))
    return out


class TheArrows(unittest.TestCase):
    def test_every_import_between_folders_has_an_arrow_and_every_arrow_an_import(self) -> None:
        picture = set(ARROW.findall((ROOT / "ARCHITECTURE.md").read_text(encoding="utf-8")))
        self.assertEqual(arrows_of_code(), picture)

    def test_the_layers_themselves(self) -> None:
        # The picture could be drawn wrong together with the code; these are the rule behind it.
        arrows = arrows_of_code()
        for user, used in arrows:
            if user == "core":
                self.assertEqual(used, "errors")
            if user in ("sim", "bench"):
                self.assertIn(used, ("core", "clock", "errors"), f"{user} → {used}")
            if user == "store":
                self.assertIn(used, ("clock", "errors"))
            if user == "files":
                self.assertIn(used, ("core", "errors"))
            if user == "work":
                self.assertNotIn(used, ("web", "cli"))

    def test_the_core_reaches_for_nothing_outside(self) -> None:
        for file in (PACKAGE / "core").rglob("*.py"):
            reached = {name.split(".")[0] for name in imports_of(file)} & FORBIDDEN_IN_CORE
            self.assertEqual(reached, set(), file.name)

    def test_no_module_imports_itself_round_a_corner(self) -> None:
        modules = {
            "calm_needle." + ".".join(f.relative_to(PACKAGE).with_suffix("").parts).removesuffix(".__init__"): f
            for f in PACKAGE.rglob("*.py")
        }
        graph = {}
        for name, file in modules.items():
            # `from package.module import thing`: the module is what is imported, or the thing is a module itself.
            reached = {part for full in imports_of(file) for part in (full, full.rpartition(".")[0])}
            graph[name] = reached & modules.keys() - {name}
        done: set[str] = set()

        def follow(name: str, trail: tuple[str, ...]) -> None:
            self.assertNotIn(name, trail, " → ".join((*trail, name)))
            if name in done:
                return
            for used in graph[name]:
                follow(used, (*trail, name))
            done.add(name)

        for name in graph:
            follow(name, ())
