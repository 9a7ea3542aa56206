"""Automatic sensitivity through the instruments against what the practice set itself knows: how near, how sure, and how long it takes."""

import contextlib
import math
import statistics
import sys
import time
from concurrent.futures import ProcessPoolExecutor
from importlib import resources
from typing import NamedTuple

from calm_needle.clock import SYSTEM, Clock
from calm_needle.core.dossier.read import read_model
from calm_needle.core.verification.definitions import DEFINITIONS
from calm_needle.files.dossiers import load_dossier
from calm_needle.sim.receiver.practice import PracticeReceiver
from calm_needle.sim.receiver.sensitivity_truth import level_for
from calm_needle.sim.rig import Rig, instruments_at
from calm_needle.work.instruments import verifying
from calm_needle.work.instruments.equipment import Equipment
from calm_needle.work.instruments.meters import Meters
from calm_needle.work.soundness.bands import at_the_aerial, middle_of
from tests.support.inside import InsideStandIns
from tests.support.virtual_clock import VirtualClock

SEEDS = range(1, 101)
DOSSIER, DEFINITION = "corvane-r-40", "s-plus-n"
GENERATOR_DB = 0.25  # as its maker states it


class One(NamedTuple):
    """How one band of one seed came out: off by (dB), stated standard deviation (dB), seconds."""

    off_db: float
    sigma_db: float
    seconds: float


def bands_of(seed: int, *, definition: str = DEFINITION, dossier: str = DOSSIER, real: bool = False) -> list[One]:
    """Measure every band of a practice set with that seed, and return how each came out."""
    content = resources.files("calm_needle.demo").joinpath(f"dossiers/{dossier}.json").read_bytes()
    model = read_model(load_dossier(content, name=f"{dossier}.json"))
    out: list[One] = []
    clock = SYSTEM if real else VirtualClock()
    receiver = PracticeReceiver(model, seed=seed, misalign="light", clock=clock.monotonic)
    with contextlib.ExitStack() as stack:
        equipment = _through_sockets(receiver, stack) if real else _inside(receiver, clock)
        stack.callback(equipment.close)
        meters = Meters(equipment)
        if receiver.supply:
            receiver.supply.power(1.0)
            receiver.clock.let_pass(1800.0)
        point, standard_v = at_the_aerial(model)
        for band in model.bands:
            at_hz = middle_of(band)
            asked = verifying.Asked(band, at_hz, point, standard_v, DEFINITIONS[definition], 0.0, band.if_hz, model.output_point())
            began = time.monotonic()
            found = verifying.measure(meters, "level", asked)
            seconds = time.monotonic() - began
            known = level_for(
                receiver,
                band,
                f_hz=at_hz,
                dial_hz=found.values["pointer_hz"],
                definition=DEFINITIONS[definition],
                standard_v=standard_v,
                point=point,
            )
            off = 20.0 * math.log10(found.values["level_v"] / known)
            out.append(One(off, math.hypot(found.sigma or 0.0, GENERATOR_DB), seconds))
    return out


def _through_sockets(receiver: PracticeReceiver, stack: contextlib.ExitStack) -> Equipment:
    rig = Rig(receiver, state_file=None, ports={})
    rig.start()
    stack.callback(rig.close)
    equipment = Equipment()
    equipment.connect({kind: f"TCPIP::127.0.0.1::{port}::SOCKET" for kind, port in rig.ports.items()})
    return equipment


def _inside(receiver: PracticeReceiver, clock: Clock) -> Equipment:
    """The same instruments in this process: waiting for them takes no time."""
    bench = InsideStandIns(clock=clock)
    bench.receiver, bench.instruments = receiver, instruments_at(receiver, keep=lambda: None)
    equipment = Equipment(clock=clock, links=bench.link)
    equipment.connect(bench.resources())
    return equipment


def run() -> list[str]:
    """Return the figures, as measured."""
    seeds = SEEDS if "--few" not in sys.argv else range(1, 13)
    with ProcessPoolExecutor(2) as workers:
        found = list(workers.map(bands_of, seeds))
    each = [one for bands in found for one in bands]
    near = sum(all(abs(o.off_db) <= 0.7 for o in bands) for bands in found)
    near_each = sum(abs(o.off_db) <= 0.7 for o in each)
    covered = sum(abs(o.off_db) <= 2.0 * o.sigma_db for o in each)
    timed = bands_of(1, real=True)
    return [
        f"sensitivity within 0.7 dB: {near_each} of {len(each)} bands (≥ 95 %); whole sets {near} of {len(found)}",
        f"its stated uncertainty (two standard deviations) covers the truth: {covered} of {len(each)} (≥ 90 %)",
        f"off by {statistics.fmean(o.off_db for o in each):+.2f} dB in the mean, "
        f"spread {statistics.pstdev(o.off_db for o in each):.2f} dB, stated {statistics.fmean(o.sigma_db for o in each):.2f} dB",
        f"{len(timed)} bands through SCPI: {sum(o.seconds for o in timed):.1f} s (≤ 40 s)",
    ]


if __name__ == "__main__":
    print("\n".join(run()))
