"""What runs in process: readings of the practice receiver, readings judged by the peak watch."""

import json
from importlib import resources

from benchmarks.figures import per_second
from calm_needle.core.dossier.read import read_model
from calm_needle.core.procedure.watch.peak_watch import PeakWatch
from calm_needle.sim.receiver.practice import Input, PracticeReceiver
from tests.support.needle_streams import streams

READINGS = 5_000


def run() -> list[str]:
    """Return readings per second of both."""
    model = read_model(json.loads(resources.files("calm_needle.demo").joinpath("dossiers/halvern-6b.json").read_bytes()))
    receiver = PracticeReceiver(model, seed=1, misalign="moderate")
    receiver.lead = next(s.set_up.goes_in for g in model.groups for s in g.steps if s.kind == "peak")
    receiver.feed = Input(model.if_hz, 100e-6, 0.3)

    def read() -> int:
        for _ in range(READINGS):
            receiver.turn("IFT2-lower", 1e-4)
            receiver.reading(dt_s=0.05)
        return READINGS

    needles = [s["readings"] for name in ("plain-peak", "twice-through", "dead-core") for s in streams(name, seeds=range(10), known="way")]

    def watch() -> int:
        count = 0
        for readings in needles:
            judge = PeakWatch()
            for r in readings:
                judge.add(level_db=r["level_db"], time_s=r["t_s"], turns=r["turns"], way=r["way"])
                judge.verdict()
            count += len(readings)
        return count

    return [
        f"practice receiver, a core turned before each reading: {per_second(read):,.0f} readings a second; wanted 5,000",
        f"peak watch, a verdict after each reading: {per_second(watch):,.0f} readings a second; wanted 20,000",
    ]
