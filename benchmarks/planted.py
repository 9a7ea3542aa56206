"""Thirty defects of one line each, planted one at a time in a copy of the code: which of them the tests catch, and after how long.

python -m benchmarks planted, or: python -m benchmarks.planted FOLDER for the checkout of another version, to compare.
"""

import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

HERE = Path(__file__).parents[1]
WHOLE, BROWSER = "tests", "tests/browser"


class Planted(NamedTuple):
    """A line of a file of calm_needle, what takes its place, and where the tests are that should notice first."""

    file: str
    line: str
    instead: str
    first: str


DEFECTS = (
    Planted("core/physics/resonance.py", "((2.0 * math.pi * f_hz) ** 2 * c_f)", "((math.pi * f_hz) ** 2 * c_f)", "tests/core/physics"),
    Planted("core/physics/superhet.py", 'if side not in ("above", "below"):', 'if side not in ("above",):', "tests/core"),
    Planted("core/procedure/rounds.py", "if len(rounds) >= most_rounds:", "if len(rounds) > most_rounds:", "tests/core/procedure"),
    Planted("core/procedure/stale.py", 'step.set_up.cover == "off" for', 'step.set_up.cover == "on" for', "tests/core/procedure"),
    Planted("core/procedure/watch/peak_watch.py", "elif abs(off) > BACKLASH_TURNS:", "elif abs(off) > 0.0:", "tests/core/procedure/watch"),
    Planted("core/procedure/watch/wander.py", "FALL_PER_SLOW = 6.0, 1.6", "FALL_PER_SLOW = 2.0, 0.4", "tests/core/procedure/watch"),
    Planted("core/soundness/parts_sweep.py", 'return Verdict("out", "Open.")', 'return Verdict("in", "Open.")', "tests/core/soundness"),
    Planted("core/soundness/gate.py", "if waived and beyond:", "if waived and not beyond:", "tests/core/soundness"),
    Planted(
        "core/verification/level_for_ratio.py", "return min(max(first_v, least_v), most_v)", "return least_v", "tests/core/verification"
    ),
    Planted("core/quantities.py", "'more' if percent > 0 else 'less'", "'more' if percent < 0 else 'less'", "tests/core"),
    Planted("core/scpi.py", "if value == INFINITE and over_range:", "if value == INFINITE:", "tests/core"),
    Planted("sim/receiver/control.py", "1.0 / (1.0 + slope)", "1.0 / (1.0 + 2.0 * slope)", "tests/sim"),
    Planted(
        "sim/receiver/practice.py", "dt_s: float, averaging_s: float = AVERAGING_S", "dt_s: float, averaging_s: float = 1.0", "tests/sim"
    ),
    Planted("bench/kinds.py", "kind.identity in identity:", "kind.identity == identity:", "tests/bench"),
    Planted("bench/ears.py", "is not None and self._clock() - self._last_s <= FRESH_S", "is not None", "tests/bench"),
    Planted("store/db.py", "PRAGMA foreign_keys = ON", "PRAGMA foreign_keys = OFF", "tests/store"),
    Planted("store/revisions.py", "coalesce(max(id), 0) FROM band_check WHERE", "coalesce(min(id), 0) FROM band_check WHERE", "tests/web"),
    Planted("files/pdf/document.py", "return NOT_MEASURED", 'return ""', "tests/files"),
    Planted("work/backup.py", "if backup_file.PHOTOGRAPH.fullmatch(name):", "if not name:", "tests/work"),
    Planted("work/whole_file.py", "return data if isinstance(data, dict) else {}", "return data", "tests/whole"),
    Planted("work/soundness/power.py", "if last.kind in POWERED:", "if rows[0].kind in POWERED:", "tests/work/soundness"),
    Planted("work/record/certificate.py", "hexdigest() != row.pdf_sha256:", 'hexdigest() == "":', "tests/work/record"),
    Planted("work/verification/measuring.py", "if not self.sigma:", "if self.sigma:", "tests/work/verification"),
    Planted("work/bench/run_book.py", "if standing.refusal:", "if standing.refusal is None:", "tests/work/bench"),
    Planted("work/jobs/drafts.py", "if not typed:", "if typed:", "tests/web"),
    Planted(
        "web/asking.py",
        'site not in (None, "same-origin", "none")',
        'site not in (None, "same-origin", "none", "cross-site")',
        "tests/whole",
    ),
    Planted("web/screens/bench/bench.js", "window.addEventListener('keydown', (e) => this.key(e));", "", BROWSER),
    Planted("web/screens/shared/beside.js", "kept.open = !kept.open;", "kept.open = false;", BROWSER),
    Planted("web/screens/start/page.html", 'name="minutes" value="5"', 'name="minutes" value="1"', "tests/jobs"),
    Planted("web/screens/parts/_line.html", 'name="seen" value="{{ line.seen }}"', 'name="saw" value="{{ line.seen }}"', BROWSER),
)


def run(root: Path = HERE) -> Iterator[str]:
    caught = 0
    for planted in DEFECTS:
        with tempfile.TemporaryDirectory() as folder:
            copy = Path(folder)
            for name in ("calm_needle", "tests", "benchmarks", "tools"):
                shutil.copytree(root / name, copy / name, ignore=shutil.ignore_patterns("__pycache__"))
            for name in ("pyproject.toml", "ARCHITECTURE.md", "README.md", "CHANGELOG.md", "run.py", "run"):
                shutil.copy(root / name, copy / name)
            file = copy / "calm_needle" / planted.file
            text = file.read_text(encoding="utf-8")
            if planted.line not in text:
                yield f"{planted.file}: “{planted.line}” is not there any more"
                continue
            file.write_text(text.replace(planted.line, planted.instead, 1), encoding="utf-8")
            began = time.monotonic()
            by = next((stage for stage in (planted.first, WHOLE) if (copy / stage).exists() and not _passes(copy, stage)), "")
            caught += bool(by)
            yield f"{planted.file}: {f'caught by {by}' if by else 'NOT CAUGHT'}, {time.monotonic() - began:.0f} s"
    yield f"{caught} of {len(DEFECTS)} caught"


def _passes(copy: Path, stage: str) -> bool:
    """Whether the tests there pass, the first that does not ending them."""
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", f"--numprocesses={os.cpu_count() or 2}", stage]
    done = subprocess.run(command, cwd=copy, env={**os.environ, "PYTHONPATH": str(copy)}, check=False, capture_output=True)
    return done.returncode == 0


if __name__ == "__main__":
    for said in run(Path(sys.argv[1]).resolve() if len(sys.argv) > 1 else HERE):
        print(said, flush=True)
