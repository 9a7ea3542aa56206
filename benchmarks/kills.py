"""Acts acknowledged through kill after kill, by hands that edit at once and press twice: none lost, none doubled."""

import http.client
import tempfile
import threading
import time
from pathlib import Path

from tests.support.demo import copy_into
from tests.support.rough_hands import Deeds, RoughHand, wrong_with
from tests.whole.test_sudden_death import Server

KILLS, HANDS, ACTS_A_LIFE = 40, 4, 26


def run(kills: int = KILLS, acts: int = ACTS_A_LIFE) -> list[str]:
    """Return one line, and one for each act that is not as it was answered."""
    deeds = Deeds()
    began = time.perf_counter()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder)
        copy_into(path)
        for life in range(kills):
            server = Server(path)
            RoughHand(server.port, f"off{life}", Deeds()).say_off()
            wanted = len(deeds.acknowledged) + acts
            enough = threading.Event()
            hands = [threading.Thread(target=_work, args=(server.port, life, n, deeds, wanted, enough)) for n in range(HANDS)]
            for hand in hands:
                hand.start()
            enough.wait(120.0)
            server.kill()
            for hand in hands:
                hand.join(120.0)
        wrong = wrong_with(path, deeds)
    answered = ", ".join(f"{count} × {status or 'none'}" for status, count in sorted(deeds.statuses.items()))
    line = (
        f"{len(deeds.acknowledged)} acts acknowledged through {kills} kills, {len(deeds.unanswered)} without an answer, "
        f"{len(deeds.refused)} refused ({answered}); lost or doubled {len(wrong)}; wanted 0; {time.perf_counter() - began:.0f} s"
    )
    return [line, *wrong[:20]]


def _work(port: int, life: int, number: int, deeds: Deeds, wanted: int, enough: threading.Event) -> None:
    """Act until the server is gone."""
    try:
        hand = RoughHand(port, f"{life}.{number}", deeds)
        for turn in range(10_000):
            (hand.twice, hand.old_window, hand.add_part)[(turn + number) % 3]()
            if len(deeds.acknowledged) >= wanted:
                enough.set()
    except (OSError, ValueError, TypeError, http.client.HTTPException):
        return  # killed in the middle of a page
    finally:
        enough.set()
