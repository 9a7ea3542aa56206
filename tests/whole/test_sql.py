"""SQL stands in the store, in one literal string for each statement, and every statement fits the schema."""

import ast
import re
import tempfile
import unittest
from collections.abc import Iterator
from pathlib import Path

from calm_needle.store import db

# What asks the schema itself: rows of any table of a job, out and in again; the rules of any table of a copy. Names come from there.
GENERIC = ("job_tables.py", "copies.py")
PACKAGE = Path(__file__).parents[2] / "calm_needle"


def statements() -> Iterator[tuple[Path, ast.Call]]:
    for file in PACKAGE.rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in ("execute", "executemany"):
                yield file, node


class EveryStatement(unittest.TestCase):
    def test_it_stands_in_the_store_and_is_one_literal_string(self) -> None:
        count = 0
        for file, call in statements():
            self.assertEqual(file.parent.name, "store", f"{file.name}:{call.lineno}")
            if file.name in GENERIC and isinstance(call.args[0], ast.JoinedStr):
                continue
            self.assertIsInstance(call.args[0], ast.Constant, f"{file.name}:{call.lineno}: no pieces are glued together")
            count += 1
        self.assertGreater(count, 25)

    def test_it_fits_the_schema(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            conn = db.connect(Path(folder) / "fresh.sqlite3")
            for file, call in statements():
                if file.name in GENERIC and isinstance(call.args[0], ast.JoinedStr):
                    continue
                assert isinstance(call.args[0], ast.Constant)
                sql = str(call.args[0].value)
                if sql.strip().split()[0] in ("PRAGMA", "BEGIN", "COMMIT", "ROLLBACK"):
                    continue
                with self.subTest(f"{file.name}:{call.lineno}"):
                    names = dict.fromkeys(re.findall(r":(\w+)", sql))
                    conn.execute("EXPLAIN " + sql, names)
            conn.close()
