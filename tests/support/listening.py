"""A page that listens at the practice set's loudspeaker, without a browser: its sound goes to the ears block by block."""

import numpy as np

from calm_needle.work.instruments import hearing
from calm_needle.work.workshop import Workshop

RATE_HZ = 16_000.0
BLOCK_S = 0.1


def listen_to_the_practice_set(workshop: Workshop) -> None:
    """Begin to listen, until the workshop ends."""

    def page() -> None:
        count = 0
        while not workshop.closed:
            samples = round(BLOCK_S * RATE_HZ)
            volts = np.frombuffer(hearing.loudspeaker(workshop.equipment, samples=samples, rate_hz=RATE_HZ), dtype="<f4")
            block = (np.clip(volts / hearing.FULL_PEAK_V, -1.0, 1.0) * 32767.0).astype("<i2").tobytes()
            workshop.clock.wait(BLOCK_S)
            hearing.take(workshop.equipment.ears, block, label=hearing.PRACTICE, rate_hz=RATE_HZ, number=count, page="test")
            count += samples

    workshop.clock.start(page, name="a page that listens")
