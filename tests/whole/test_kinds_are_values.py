"""Nobody outside core/procedure/kinds asks for the name of a kind of step."""

import ast
import re
import unittest
from collections.abc import Iterator
from pathlib import Path

from calm_needle.core.procedure.kinds.table import KINDS

PACKAGE = Path(__file__).parents[2] / "calm_needle"
OWN = PACKAGE / "core/procedure/kinds"
# Frozen: what the program did when runs kept no plan.
FROZEN = {PACKAGE / "store/old_runs.py"}


def compared(tree: ast.AST) -> Iterator[tuple[int, str]]:
    """Every place where something called kind is compared with, or looked up by, the name of a kind of step."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Compare):
            sides = [node.left, *node.comparators]
            if any(_is_kind(side) for side in sides):
                names = {c.value for side in sides for c in ast.walk(side) if isinstance(c, ast.Constant)}
                yield from ((node.lineno, str(name)) for name in names & KINDS.keys())
        elif isinstance(node, ast.Match) and _is_kind(node.subject):
            names = {c.value for case in node.cases for c in ast.walk(case.pattern) if isinstance(c, ast.Constant)}
            yield from ((node.lineno, str(name)) for name in names & KINDS.keys())


def _is_kind(node: ast.AST) -> bool:
    if isinstance(node, ast.Subscript):
        return isinstance(node.slice, ast.Constant) and node.slice.value == "kind" and "step" in ast.unparse(node.value)
    return isinstance(node, ast.Attribute) and node.attr == "kind" and "step" in ast.unparse(node.value)


class KindsAreValues(unittest.TestCase):
    def test_no_module_compares_a_kind_of_step_with_a_literal(self) -> None:
        found = [
            f"{file.relative_to(PACKAGE)}:{line}: {name}"
            for file in PACKAGE.rglob("*.py")
            if OWN not in file.parents and file not in FROZEN
            for line, name in compared(ast.parse(file.read_text(encoding="utf-8")))
        ]
        self.assertEqual(found, [])

    def test_nor_does_a_page_or_a_script(self) -> None:
        names = "|".join(KINDS)
        pattern = re.compile(rf"(step|bead)\.kind\s*(==|!=|in)|kind\s*(===?|!==?)\s*['\"]({names})['\"]")
        found = [
            f.name for ending in ("html", "js") for f in (PACKAGE / "web").rglob(f"*.{ending}") if pattern.search(f.read_text("utf-8"))
        ]
        self.assertEqual(found, [])
