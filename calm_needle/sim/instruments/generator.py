"""The signal generator: 50 kHz to 30 MHz, 1 µV to 100 mV, AM. A few parts per million and a quarter of a decibel out."""

import math
import random

from calm_needle.core.scpi import Command
from calm_needle.sim.instruments.stand_in import StandIn, number_of, switch_of
from calm_needle.sim.receiver.practice import Input, PracticeReceiver

LOW_HZ, HIGH_HZ = 50e3, 30e6
LEAST_V, MOST_V = 0.9e-6, 0.11
OHM = 50.0


class SignalGenerator(StandIn):
    """Feeds the practice receiver with what it is set to. Switched on, its output is off."""

    identity = "Tern Rock,SG-30,1187,2.0"

    def __init__(self, receiver: PracticeReceiver, *, seed: int) -> None:
        super().__init__()
        rng = random.Random(f"{seed} generator")
        self._off_by = 1.0 + rng.gauss(0.0, 3e-6)
        self._level_error = 10.0 ** (rng.gauss(0.0, 0.25) / 20.0)
        self._receiver = receiver
        self.commands |= {
            "[SOURce:]FREQuency[:CW]": self._frequency,
            "[SOURce:]VOLTage[:LEVel]": self._volts,
            "[SOURce:]POWer[:LEVel]": self._power,
            "[SOURce:]AM:DEPTh": self._depth,
            "[SOURce:]AM:STATe": self._am,
            "[SOURce:]AM:INTernal:FREQuency": self._tone,
            "OUTPut[:STATe]": self._output,
        }
        self.reset()

    def reset(self) -> None:
        self.frequency_hz, self.level_v, self.depth_percent, self.tone_hz = 1e6, 1e-3, 30.0, 400.0
        self.am, self.on = False, False
        self._drive()

    def _drive(self) -> None:
        level = self.level_v * self._level_error if self.on else 0.0
        self._receiver.feed = Input(self.frequency_hz * self._off_by, level, self.depth_percent / 100.0 if self.am else 0.0)

    def _frequency(self, command: Command) -> str | None:
        if command.asks:
            return f"{self.frequency_hz:.3f}"
        self.frequency_hz = number_of(command, low=LOW_HZ, high=HIGH_HZ)
        self._drive()
        return None

    def _volts(self, command: Command) -> str | None:
        if command.asks:
            return f"{self.level_v:.6E}"
        self.level_v = number_of(command, low=LEAST_V, high=MOST_V)
        self._drive()
        return None

    def _power(self, command: Command) -> str | None:
        if command.asks:
            return f"{10.0 * math.log10(self.level_v**2 / OHM / 1e-3):.3f}"
        dbm = number_of(command, low=-108.0, high=-6.0)
        self.level_v = math.sqrt(OHM * 1e-3 * 10.0 ** (dbm / 10.0))
        self._drive()
        return None

    def _depth(self, command: Command) -> str | None:
        if command.asks:
            return f"{self.depth_percent:.1f}"
        self.depth_percent = number_of(command, low=0.0, high=95.0)
        self._drive()
        return None

    def _am(self, command: Command) -> str | None:
        if command.asks:
            return "1" if self.am else "0"
        self.am = switch_of(command)
        self._drive()
        return None

    def _tone(self, command: Command) -> str | None:
        if command.asks:
            return f"{self.tone_hz:.1f}"
        self.tone_hz = number_of(command, low=20.0, high=20e3)
        return None

    def _output(self, command: Command) -> str | None:
        if command.asks:
            return "1" if self.on else "0"
        self.on = switch_of(command)
        self._drive()
        return None
