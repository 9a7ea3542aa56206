"""A data folder as an earlier version left it, and what that version said of its runs: `tests/old_data` keeps one for each.

schema-15: the demo world and five more runs, recorded by the last version whose runs kept no plan: one read by the program
without turns and left in the middle, one typed with everything that a person can do, one left at its set-up, one left at a
decision after going back twice. `as-it-was.json` is that version's own account of each run's state, record and readings.
"""

import json
import tarfile
from pathlib import Path
from typing import Any

KEPT = Path(__file__).parents[1] / "old_data"


def unpack(name: str, folder: Path) -> dict[int, dict[str, Any]]:
    """Put an old data folder there; return what was said of its runs, by run."""
    with tarfile.open(KEPT / f"{name}.tar.xz") as kept:
        kept.extractall(folder, filter="data")
    said = json.loads((folder / "as-it-was.json").read_text(encoding="utf-8"))
    return {int(run): account for run, account in said.items()}
