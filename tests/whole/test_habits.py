"""What holds everywhere: screens are complete, documents name what there is, public functions say what they do."""

import ast
import re
import unittest
from pathlib import Path

from calm_needle import errors
from calm_needle.cli import build_parser
from calm_needle.core.reckon.answers import CALCULATORS

ROOT = Path(__file__).parents[2]
PACKAGE = ROOT / "calm_needle"
SCREENS = sorted(p.name for p in (PACKAGE / "web/screens").iterdir() if p.is_dir() and (p / "views.py").exists())
README = (ROOT / "README.md").read_text(encoding="utf-8")


class Screens(unittest.TestCase):
    def test_each_has_its_page_and_its_name_in_the_architecture(self) -> None:
        architecture = (ROOT / "ARCHITECTURE.md").read_text(encoding="utf-8")
        for screen in SCREENS:
            self.assertTrue((PACKAGE / "web/screens" / screen / "page.html").exists(), screen)
            self.assertIn(f"`{screen}`", architecture)

    def test_parts_say_what_they_need(self) -> None:
        for part in (PACKAGE / "web/screens").rglob("*.html"):
            self.assertRegex(part.read_text(encoding="utf-8"), r"^\{#", part.name)

    def test_no_style_or_handler_stands_in_a_page(self) -> None:
        for part in (PACKAGE / "web/screens").rglob("*.html"):
            self.assertNotRegex(part.read_text(encoding="utf-8"), r'\sstyle="|\son(click|load|error)=|<style', part.name)


class Documents(unittest.TestCase):
    def test_the_readme_names_every_command_and_every_calculator(self) -> None:
        for action in build_parser()._subparsers._group_actions:  # type: ignore[union-attr]
            for command in action.choices or ():
                self.assertIn(f"./run {command}", README)
        for name in CALCULATORS:
            self.assertIn(f"`{name}`", README)

    def test_pictures_are_shown_and_shown_ones_exist(self) -> None:
        shown = set(re.findall(r"docs/screenshots/([\w-]+\.png)", README))
        there = {p.name for p in (ROOT / "docs/screenshots").glob("*.png")}
        self.assertEqual(shown, there)
        self.assertLess(len(there), 20)

    def test_the_tree_of_errors_is_drawn_whole(self) -> None:
        drawn = errors.__doc__ or ""
        for name in [n for n, o in vars(errors).items() if isinstance(o, type) and issubclass(o, errors.CalmNeedleError)]:
            self.assertIn(name, drawn)


class Docstrings(unittest.TestCase):
    def test_modules_and_public_functions_say_what_they_do(self) -> None:
        missing = []
        for file in PACKAGE.rglob("*.py"):
            tree = ast.parse(file.read_text(encoding="utf-8"))
            if tree.body and not ast.get_docstring(tree):
                missing.append(file.name)
            if file.relative_to(PACKAGE).parts[0] in ("core", "store", "bench", "files"):
                missing += [
                    f"{file.name}:{n.name}"
                    for n in tree.body
                    if isinstance(n, ast.FunctionDef) and not n.name.startswith("_") and not ast.get_docstring(n)
                ]
        self.assertEqual(missing, [])

    def test_two_floats_are_never_given_by_position(self) -> None:
        loose = []
        for file in (PACKAGE / "core").rglob("*.py"):
            for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
                if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
                    floats = [a for a in node.args.args if isinstance(a.annotation, ast.Name) and a.annotation.id == "float"]
                    if len(floats) > 1:
                        loose.append(f"{file.name}:{node.name}")
        self.assertEqual(loose, [])
