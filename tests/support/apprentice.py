"""Somebody who follows the advice of the bench to the letter, and knows nothing else."""

import re
from collections.abc import Callable
from typing import Protocol

MOST_PRESSES, MOST_AT_ONCE, MOST_TRIES = 900, 40, 12
OUT_OF_PATIENCE = 3  # looks with hands off at a needle that is said to wander too much, after which it is taken all the same
NEAR_DB = 0.3  # to go, from where the hand turns finely
FURTHER = (20, 60, 140)  # touches without anything, after which the other way is tried
CLOSE_HZ = 400.0  # of a beat, from where the hand turns finely
PASSED = 2  # times that it went past the peak, after which it turns slowly all the way
# What the advice calls an amount of turning, the longer words first.
SAID = {
    "three quarters of a turn": 0.75,
    "half a turn": 0.5,
    "a third of a turn": 0.33,
    "a quarter of a turn": 0.25,
    "a fifth of a turn": 0.2,
    "a sixth of a turn": 0.16,
    "an eighth of a turn": 0.125,
    "a tenth of a turn": 0.1,
    "a twentieth of a turn": 0.05,
    "a hair": 0.02,
    "a turn": 1.0,
}


class Bench(Protocol):
    """What the apprentice sees and does: on the page, or through what the page asks."""

    @property
    def title(self) -> str: ...
    @property
    def advice(self) -> str: ...
    @property
    def main_act(self) -> str: ...
    @property
    def at_stop(self) -> bool: ...
    @property
    def reading_id(self) -> int: ...
    def press(self, key: str) -> None: ...
    def turn(self, way: int, *, fine: bool = False) -> None: ...
    def step(self, *, fine: bool = False) -> float: ...
    def wait_for_reading_after(self, reading_id: int) -> None: ...
    def wait_until(self, so: Callable[[], bool]) -> None:
        """Wait until what is shown is so."""

    def hide_turns(self, hide: bool) -> None:
        """Hide the turns from the program, or let it see them."""

    def trace(self) -> str:
        """The trace that the oscilloscope shows, as a path, once it is drawn."""

    @property
    def evidence(self) -> str: ...
    @property
    def asks(self) -> bool:
        """Whether it is asked if what was pressed is meant, though it is not sure."""

    def insist(self) -> None:
        """Say that it is meant."""


class Apprentice:
    """Goes through a phase. Where nobody counts its turns, it says when it turns back. `heard`: what the page has said."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.heard: set[str] = set()
        self.rounds = self.told_way = 0
        self._moved = True  # whether it has turned since it turned round
        self.looked: list[str] = []  # the traces that were to be looked at, as paths

    def go_through(self, *, blind: int = 0, rounds: int = 9) -> None:
        """Begin with the set-up card, end where all is done. blind: so many adjusters, from the first, are turned unseen; rounds:
        after so many it stops, whatever is advised.
        """
        bench, done = self.bench, 0
        while (title := bench.title) != "All done here":
            if bench.main_act == "Set it all" or title == "Go round again, or stop?":
                self.rounds += title != "Set up first"
                stops = title != "Set up first" and self.rounds >= rounds and bench.main_act.startswith("Go round")
                bench.press("e" if stops else "Enter")
            elif title.startswith("Measure "):
                self._measure()
            elif title.startswith("Look at "):
                self.looked.append(bench.trace())
                bench.press("1")
            else:
                if done == 0 and blind:
                    bench.hide_turns(True)
                self.turn_one()
                done += 1
                if done == blind:  # proving each by the key takes its time; the others are counted
                    bench.hide_turns(False)
                continue
            self._leave(title)

    def turn_one(self) -> None:
        """Turn the adjuster in hand until the page says to take it, and take it."""
        title = self.bench.title
        self.bench.wait_for_reading_after(self.bench.reading_id + 3)
        while self.bench.title == title:
            key = self._turn_until_told()
            self.bench.press(key)
            # A needle that moved away between the look and the key: it is asked about, and the hand goes on.
            self.bench.wait_until(lambda: self.bench.title != title or self.bench.asks)
            # What cannot be brought there is not brought back either, though the page asks for it.
            if self.bench.title == title and ("wanders too much" in self.bench.advice or key == "x"):
                self.bench.insist()

    def _turn_until_told(self) -> str:
        """Turn until it is said to take it; return the key for what is done then, x where it is said that it cannot be brought there."""
        bench, way, away, disturbed, passed = self.bench, 1, 0, 0, 0
        for _ in range(MOST_PRESSES):
            advice = bench.advice
            away += advice.startswith("Nothing yet")
            self.heard.add(advice.split(".")[0].split(":")[0])
            if "Take it" in advice:
                return "Enter"
            if "short of it" in advice:
                return "x"
            if bench.main_act == "Set the level":
                bench.press("Enter")
                bench.wait_for_reading_after(bench.reading_id + 6)  # one step may not be enough
            elif "wanders too much" in advice:
                disturbed += 1
                if disturbed > OUT_OF_PATIENCE:
                    return "Enter"
                bench.wait_for_reading_after(bench.reading_id + 8)
            elif "Hold still" in advice or "Hands off" in advice:
                bench.wait_for_reading_after(bench.reading_id + 3)
            elif "slips" in advice:
                bench.press("w")
                bench.wait_until(lambda: "slips" not in bench.advice)
            elif "is at its stop or does not move" in advice:
                way = -way
                self._turn(way)
            elif "clockwise" in advice:
                way = self._turn_as_told(advice)
            elif bench.at_stop or (advice.startswith("Nothing yet") and away in FURTHER):
                # Felt by the hand; or it goes the other way, further each time.
                way, away = -way, away + 1
                bench.press("c")
                for _ in range(3):
                    self._turn(way)
            elif "beat of" in advice:
                way = -way if "the other way" in advice else way
                self._turn(way, fine=self._beat_hz(advice) < CLOSE_HZ)
            elif "come back to it" in advice or "Come back" in advice or "Turn the other way" in advice:
                if self._moved:
                    way, self._moved = -way, False
                    passed += "Past the" in advice
                    bench.press("c")
                    bench.wait_for_reading_after(bench.reading_id + 3)
                else:  # turned round already: nothing new is said before the hand moves
                    self._turn(way, fine=True)
            elif "Coming back" in advice or "o on through" in advice:
                # Finely where it is near, or slowly is said; else it would take all day.
                far = re.search(r"([\d.]+) dB to go", advice)
                near = float(far[1]) < NEAR_DB if far else "Coming back" in advice or "Slowly" in bench.evidence
                near = near or passed > PASSED  # gone past it so often, it takes the advice at its word
                self._turn(way, fine=near)
            else:
                self._turn(way, fine="slower" in advice or "Slowly" in advice)
        raise AssertionError(f"not done after {MOST_PRESSES} presses; the page says: {bench.advice}")

    def _leave(self, title: str) -> None:
        self.bench.wait_until(lambda: self.bench.title != title)

    @staticmethod
    def _beat_hz(advice: str) -> float:
        number, unit = advice.split("beat of ")[1].replace("\u2009", " ").split(" ")[:2]
        return float(number) * (1e3 if unit.startswith("kHz") else 1.0)

    def _turn_as_told(self, advice: str) -> int:
        """Turn by about as much as the advice says, the way it says; return that way."""
        degrees = re.search(r"about ([\d.]+)°", advice)
        amount = next((turns for words, turns in SAID.items() if words in advice), 0.25)
        amount = float(degrees[1]) / 360.0 if degrees else amount
        way = -1 if "anticlockwise" in advice else 1
        fine = amount < 2.4 * self.bench.step()
        presses = min(MOST_AT_ONCE, max(1, round(0.8 * amount / self.bench.step(fine=fine))))
        if fine and way == -self.told_way:
            presses = 1  # sent back over what it has just turned: less than that, or it goes to and fro for ever
        self.told_way = way
        for _ in range(presses):
            self.bench.turn(way, fine=fine)
        self.bench.wait_for_reading_after(self.bench.reading_id + 6)
        return way

    def _turn(self, way: int, *, fine: bool = False) -> None:
        """One touch of the adjuster, and a look at the needle."""
        seen, self._moved = self.bench.reading_id, True
        self.bench.turn(way, fine=fine)
        self.bench.wait_for_reading_after(seen + 2)

    def _measure(self) -> None:
        """Let the pass-band be measured, the level set first where the page asks for it, and take it."""
        bench = self.bench
        bench.wait_for_reading_after(0)
        for _ in range(MOST_TRIES):
            bench.wait_for_reading_after(bench.reading_id + 6)
            if "Measured." in bench.advice:
                break
            if bench.main_act in ("Set the level", "Measure the pass-band"):
                # What the key does is what the button says at that moment: the level may have come right, or wrong, since the look.
                bench.press("Enter")
            bench.wait_until(lambda: "Measuring" not in bench.advice)
        bench.wait_until(lambda: bench.advice.startswith("Measured.") and bench.main_act.startswith("Take it and go on"))
        bench.press("Enter")
