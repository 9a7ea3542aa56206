"""Requests that nobody means, thrown at every route: how many were answered, and whether any by a failure of ours. Then hands that press
twice, type into old windows and edit the same thing at once: whether the store holds what they were told."""

import logging
import tempfile
import threading
import time
from pathlib import Path

from calm_needle.web.app import create_app
from calm_needle.work.workshop import Workshop
from tests.support.demo import copy_into
from tests.support.garbage import throw
from tests.support.rough_hands import Deeds, RoughHand, wrong_with
from tests.whole.test_sudden_death import Server

REQUESTS, SEED = 5000, 1
HANDS, ROUNDS = 4, 15


def run() -> list[str]:
    """Return one line of statuses, and one for each failure."""
    logging.getLogger("calm_needle").setLevel(logging.CRITICAL)
    with tempfile.TemporaryDirectory() as folder:
        copy_into(Path(folder))
        workshop = Workshop(Path(folder))
        try:
            began = time.perf_counter()
            outcome = throw(create_app(workshop), requests=REQUESTS, seed=SEED)
        finally:
            workshop.close()
    told = ", ".join(f"{count} × {status}" for status, count in sorted(outcome.statuses.items()))
    lines = [f"{REQUESTS} requests in {time.perf_counter() - began:.0f} s: {told}; failures of ours {len(outcome.failures)}; wanted 0"]
    return [*lines, *outcome.failures[:20], *_rough_hands()]


def _rough_hands() -> list[str]:
    deeds = Deeds()
    with tempfile.TemporaryDirectory() as folder:
        copy_into(Path(folder))
        server = Server(Path(folder))
        RoughHand(server.port, "off", Deeds()).say_off()

        def work(number: int) -> None:
            hand = RoughHand(server.port, f"{number}", deeds)
            for _ in range(ROUNDS):
                hand.twice()
                hand.old_window()
                hand.add_part()

        hands = [threading.Thread(target=work, args=(n,)) for n in range(HANDS)]
        for hand in hands:
            hand.start()
        for hand in hands:
            hand.join()
        server.kill()
        wrong = wrong_with(Path(folder), deeds)
    told = ", ".join(f"{count} × {status}" for status, count in sorted(deeds.statuses.items()))
    line = f"{HANDS} hands at once, each act of {HANDS * ROUNDS * 3}: {told}; lost, doubled or kept though refused {len(wrong)}; wanted 0"
    return [line, *wrong[:20]]
