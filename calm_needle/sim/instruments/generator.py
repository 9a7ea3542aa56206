"""The signal generator: 50 kHz to 30 MHz, 1 µV to 100 mV, AM and FM. A few parts per million and a quarter of a decibel out."""

import math
import random

from calm_needle.core.scpi import Command, fits
from calm_needle.sim.instruments.stand_in import Number, StandIn, number_of
from calm_needle.sim.receiver.practice import Input, PracticeReceiver

OHM = 50.0
LEVEL_OFF_DB = 0.25  # standard deviation, from generator to generator
FREQUENCY = Number(50e3, 30e6, 1e6, "HZ", ".3f")
LEVEL = Number(0.9e-6, 0.11, 1e-3, "V")
DEPTH = Number(0.0, 95.0, 30.0, "PCT", ".1f")
TONE = Number(20.0, 20e3, 400.0, "HZ", ".1f")
DEVIATION = Number(0.0, 100e3, 3e3, "HZ", ".1f")
LEAST_DBM, MOST_DBM = -108.0, -6.0


class SignalGenerator(StandIn):
    """Feeds the practice receiver with what it is set to. Switched on, its output is off."""

    identity = "Tern Rock,SG-30,1187,2.1"

    def __init__(self, receiver: PracticeReceiver, *, seed: int) -> None:
        super().__init__()
        rng = random.Random(f"{seed} generator")
        self._off_by = 1.0 + rng.gauss(0.0, 3e-6)
        self._level_error = 10.0 ** (rng.gauss(0.0, LEVEL_OFF_DB) / 20.0)
        self._receiver = receiver
        self.settle("[SOURce:]FREQuency[:CW]", "frequency_hz", FREQUENCY)
        self.settle("[SOURce:]VOLTage[:LEVel][:IMMediate][:AMPLitude]", "level_v", LEVEL)
        self.commands["[SOURce:]POWer[:LEVel][:IMMediate][:AMPLitude]"] = self._power
        self.settle("[SOURce:]AM[:DEPTh]", "depth_percent", DEPTH)
        self.switch("[SOURce:]AM:STATe", "am")
        self.settle("[SOURce:]AM:INTernal:FREQuency", "tone_hz", TONE)
        self.settle("[SOURce:]FM[:DEViation]", "deviation_hz", DEVIATION)
        self.switch("[SOURce:]FM:STATe", "fm")
        self.settle("[SOURce:]FM:INTernal:FREQuency", "tone_hz", TONE)
        self.switch("OUTPut[:STATe]", "on")
        self.reset()

    def reset(self) -> None:
        self.frequency_hz, self.level_v, self.depth_percent, self.tone_hz = FREQUENCY.default, LEVEL.default, DEPTH.default, TONE.default
        self.deviation_hz = DEVIATION.default
        self.am, self.fm, self.on = False, False, False
        self.changed()

    def changed(self) -> None:
        level = self.level_v * self._level_error if self.on else 0.0
        depth, deviation_hz = self.depth_percent / 100.0 if self.am else 0.0, self.deviation_hz if self.fm else 0.0
        self._receiver.feed = Input(self.frequency_hz * self._off_by, level, depth, self.tone_hz, deviation_hz)

    def _power(self, command: Command) -> str | None:
        word = command.arguments[0] if command.arguments else ""
        named = next((v for name, v in (("MINimum", LEAST_DBM), ("MAXimum", MOST_DBM)) if word and fits(name, word)), None)
        if command.asks:
            return f"{10.0 * math.log10(self.level_v**2 / OHM / 1e-3) if named is None else named:.3f}"
        dbm = number_of(command, low=LEAST_DBM, high=MOST_DBM, unit="DBM") if named is None else named
        self.level_v = math.sqrt(OHM * 1e-3 * 10.0 ** (dbm / 10.0))
        self.changed()
        return None
