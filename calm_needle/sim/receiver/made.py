"""How a set came out of its factory: coils, padders and gang within what such parts are made to, and what has drifted since.

A signal coil that nobody can turn was matched to its gang on the maker's test bench, so it is nearly right where the band's low end is set.
"""

import random

from calm_needle.core.dossier.model import Model
from calm_needle.sim.receiver.chain import Chain
from calm_needle.sim.receiver.dial import OSCILLATOR, Dial, GangOff
from calm_needle.sim.receiver.gang_law import bent
from calm_needle.sim.receiver.true_parts import TrueParts

COIL, PADDER, GANG_VALUE, GANG_SHAPE = 0.03, 0.03, 0.01, 0.01  # shares, at most either way
MATCHED = 0.002  # how near a fixed signal coil was brought


def make(model: Model, chain: Chain, dial: Dial, parts: TrueParts, *, seed: int, spread: bool) -> None:
    """Give the tanks and the gang of a practice set their true values. spread: whether they differ from what is drawn."""
    rng = random.Random(f"{seed} made")
    sections = (OSCILLATOR, *(s.stage_id for s in chain.all if s.tanks and s is not chain.oscillator))
    if spread:
        dial.bent = {name: bent(random.Random(f"{seed} plates {name}")) for name in sections}
        dial.off = GangOff(rng.uniform(-GANG_VALUE, GANG_VALUE), rng.uniform(-GANG_SHAPE, GANG_SHAPE))
    for band in model.bands:
        rng = random.Random(f"{seed} made {band.id}")
        for stage in chain.all:
            tank = stage.tanks.get(band.id)
            if tank is None:
                continue
            coil, padder = (rng.uniform(-1.0, 1.0), rng.uniform(-1.0, 1.0)) if spread else (0.0, 0.0)
            if stage is not chain.oscillator and band.id in dial.bands:
                low_hz = min((float(p["dial_hz"]) for p in band.tracking), default=band.f_low_hz)
                coil = MATCHED * coil + tank.as_drawn_with(dial.gang_f(band.id, low_hz, section=stage.stage_id), low_hz)
            else:
                coil *= COIL
            tank.make(coil=coil, padder=padder * PADDER + parts.drift(tank.padder_part))
