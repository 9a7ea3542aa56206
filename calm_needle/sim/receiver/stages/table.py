"""The kinds of link there are, by the name that a dossier's `circuit` has. Another is added by `register`, and nothing else changes."""

from calm_needle.sim.receiver.stages.amplifier import Amplifier
from calm_needle.sim.receiver.stages.audio import AudioStage
from calm_needle.sim.receiver.stages.band_tanks import BandTanks
from calm_needle.sim.receiver.stages.can import Can
from calm_needle.sim.receiver.stages.crystal_filter import CrystalFilter
from calm_needle.sim.receiver.stages.detector import Envelope, ProductDetector
from calm_needle.sim.receiver.stages.mixer import Mixer
from calm_needle.sim.receiver.stages.oscillator import Oscillator
from calm_needle.sim.receiver.stages.pair import Pair
from calm_needle.sim.receiver.stages.regenerative import Regenerative
from calm_needle.sim.receiver.stages.stage import Stage
from calm_needle.sim.receiver.stages.trap import Trap

STAGES: dict[str, type[Stage]] = {
    "amplifier": Amplifier,
    "audio": AudioStage,
    "band tanks": BandTanks,
    "can": Can,
    "crystal filter": CrystalFilter,
    "envelope": Envelope,
    "mixer": Mixer,
    "oscillator": Oscillator,
    "pair": Pair,
    "product detector": ProductDetector,
    "regenerative": Regenerative,
    "trap": Trap,
}


def register(name: str, stage: type[Stage]) -> type[Stage]:
    """Add a kind of link; dossiers may then name it. Its name must be new."""
    assert name not in STAGES, name
    STAGES[name] = stage
    return stage
