"""Run the figures, all or those named."""

import importlib
import os
import sys

NAMES = (
    *("engine", "watch", "rehearse", "dial", "verify", "sensitivity", "papers", "ears", "by-key"),
    *("reckon", "pages", "jobs", "start", "needle", "fuzz", "kills", "starved", "planted"),
)


def main(asked: list[str]) -> int:
    names = [n for n in asked if not n.startswith("--")]  # --few, --seeds=A-B: how many of each
    unknown = [n for n in names if n not in NAMES]
    if unknown:
        print(f"There is no figure {unknown[0]}. There are: {', '.join(NAMES)}.", file=sys.stderr)
        return 2
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as the program itself has it
    for name in names or [n for n in NAMES if n != "planted"]:  # which takes as long as the tests thirty times
        print(f"— {name}", flush=True)
        for line in importlib.import_module(f"benchmarks.{name.replace('-', '_')}").run():
            print(line, flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
