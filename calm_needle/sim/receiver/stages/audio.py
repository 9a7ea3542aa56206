"""Audio and output: a gain that follows its rails, between what it cuts off below and above."""

import math

from calm_needle.sim.receiver.signal import Now
from calm_needle.sim.receiver.stages.detector import Audio
from calm_needle.sim.receiver.stages.stage import Built, Stage

LOWEST_HZ, HIGHEST_HZ = 60.0, 5e3
REFERENCE_HZ = 400.0  # where its gain is stated


class AudioStage(Stage):
    """gain at 400 Hz from the detector to the loudspeaker winding; lowest_hz, highest_hz (3 dB); fed_through."""

    numbers = ("gain",)
    may_have = ("lowest_hz", "highest_hz")

    def __init__(self, built: Built) -> None:
        super().__init__(built)
        data = built.data
        self.gain, self._fed_through = float(data["gain"]), str(data.get("fed_through", ""))
        self._lowest_hz, self._highest_hz = float(data.get("lowest_hz", LOWEST_HZ)), float(data.get("highest_hz", HIGHEST_HZ))

    def scale(self, now: Now) -> float:
        return now.lives(self._fed_through)

    def amplify(self, heard: Audio, now: Now) -> Audio:
        """Return what reaches the loudspeaker winding of what the detector gives."""
        gain = self.gain * self.scale(now)
        return Audio(heard.tone_v * gain * self._passed(heard.tone_hz) / self._passed(REFERENCE_HZ), heard.noise_v * gain, heard.tone_hz)

    def _passed(self, f_hz: float) -> float:
        if f_hz <= 0.0:
            return 0.0
        return 1.0 / (math.hypot(1.0, self._lowest_hz / f_hz) * math.hypot(1.0, f_hz / self._highest_hz))
