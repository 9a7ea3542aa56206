"""Resumable benchmark runs: each result is written as a line of JSON when it is ready, and a later run skips it.

Results are counted only for the code that produced them, by a hash of the package.
"""

import hashlib
import json
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

ROOT = Path(__file__).resolve().parent.parent
FOLDER = ROOT / "benchmarks" / "rows"
WORKERS = 2
FEW = 12

Row = dict[str, Any]


def seeds(most: int, *, first: int = 1) -> range:
    """Return the seeds that are asked for on the command line: --few, --seeds A-B, or all of them."""
    given = next((a.removeprefix("--seeds=") for a in sys.argv if a.startswith("--seeds=")), "")
    if given:
        low, high = (int(n) for n in given.split("-"))
        return range(low, high + 1)
    return range(first, first + (FEW if "--few" in sys.argv else most))


def rows(name: str, tasks: Sequence[NamedTuple], work: Callable[[Any], Iterable[Row]]) -> list[Row]:
    """Return what work makes of every task, in the order of the tasks: from the file where it is there, else worked out now."""
    FOLDER.mkdir(exist_ok=True)
    file, state = FOLDER / f"{name}.jsonl", code_state()
    have = {line["task"]: line["rows"] for line in _lines(file) if line["state"] == state}
    missing = [t for t in tasks if _key(t) not in have]
    if len(missing) < len(tasks):
        print(f"  {len(tasks) - len(missing)} of {len(tasks)} already done, in {file.relative_to(ROOT)}", flush=True)
    with file.open("a", encoding="utf-8") as out, ProcessPoolExecutor(WORKERS) as workers:
        asked = {workers.submit(_worked, work, t): t for t in missing}
        for done in as_completed(asked):
            key = _key(asked[done])
            have[key] = done.result()
            out.write(json.dumps({"state": state, "task": key, "rows": have[key]}) + "\n")
            out.flush()
    return [row for t in tasks for row in have[_key(t)]]


def _worked(work: Callable[[Any], Iterable[Row]], task: NamedTuple) -> list[Row]:
    return list(work(task))


def _key(task: NamedTuple) -> str:
    return json.dumps(task)


def _lines(file: Path) -> Iterator[Row]:
    """The lines of a file; the last may have been cut off."""
    if file.exists():
        for line in file.read_text(encoding="utf-8").splitlines():
            try:
                yield json.loads(line)
            except json.JSONDecodeError:
                continue


@cache
def code_state() -> str:
    """Return what tells one state of the program's code from another."""
    found = hashlib.sha256()
    for path in sorted((ROOT / "calm_needle").rglob("*")):
        if path.suffix in (".py", ".json") and path.is_file():
            found.update(str(path.relative_to(ROOT)).encode() + path.read_bytes())
    return found.hexdigest()[:12]
