"""The bench as a person at its page has it, without a browser: what it shows is asked for, what it sends is sent."""

import re
from collections.abc import Callable
from typing import Any

from calm_needle.work.bench import bench_view
from calm_needle.work.bench.desk import Desk
from tests.support.client import PageTest

TOUCH_S = 0.15  # from one touch of an adjuster to the next, and to the look at the needle
LONGEST_S = 600.0  # nothing here takes longer; the end of a wait for what never comes
LOOK_S = 0.25
KEYS = {"c": "turning-back", "w": "wax", "e": "stop", "x": "no-peak"}


class InsideBench:
    """One run on its bench. Whatever is pressed goes the way that the page's own form goes."""

    def __init__(self, test: PageTest, run_id: int, *, touch_s: float = TOUCH_S) -> None:
        self.touch_s = touch_s
        self._test, self.run_id = test, run_id
        self._clock = test.workshop.clock
        self._pressed = ""
        self.asked = ""  # what the page asks before it does what was pressed
        test.get(f"/bench/{run_id}")

    @property
    def desk(self) -> Desk:
        return self._test.workshop.desk(self.run_id)

    @property
    def title(self) -> str:
        with self.desk.book() as book:
            return bench_view._title(book)

    @property
    def advice(self) -> str:
        return str(self._snapshot["advice"]["sentence"])

    @property
    def evidence(self) -> str:
        return str(self._snapshot["advice"]["evidence"])

    @property
    def main_act(self) -> str:
        return self._main.label

    @property
    def asks(self) -> bool:
        return bool(self.asked)

    @property
    def decides(self) -> bool:
        """Whether ways are shown of which one is to be chosen."""
        return self.desk.view()["choices"] is not None

    @property
    def at_stop(self) -> bool:
        return bool((self._snapshot["core"] or {}).get("at_stop"))

    @property
    def reading_id(self) -> int:
        with self.desk.book() as book:
            return book.seen.watched[-1].id if book.seen.watched else 0

    def press(self, key: str) -> None:
        """Press a key of the page."""
        main = self._main
        offered = self._offered if key not in KEYS and key != "Enter" else {}
        if key == "Enter":
            self._send(main.act, {main.name: main.value} if main.name else {})
        elif key in offered:
            act, name, value = offered[key]
            self._send(act, {name: value} if name else {})
        else:
            self._send("take" if key == "t" else KEYS[key], {})

    def insist(self) -> None:
        """Say that what was pressed is meant, though it is not sure."""
        self._send(self._pressed, {"sure": "yes"})

    @property
    def card(self) -> str:
        """What the set-up card says, a row a line."""
        return "\n".join(f"{row['label']} {row['shown']}" for row in self.desk.view()["set_up"])

    @property
    def coming_back_db(self) -> float:
        """How far below the crest the advice says that it is."""
        return float(self.advice.split("Coming back: ")[1].split(" dB")[0])

    def type_reading(self, text: str) -> None:
        """Type what the meter shows, and keep it."""
        self._send("readings", {"reading": text})

    def turn(self, way: int, *, fine: bool = False) -> None:
        """One touch of the adjuster, and a look at the needle."""
        before = self.reading_id
        self._test.client.post(
            f"/bench/{self.run_id}/turn", data={"csrf_token": self._test.token, "turns": f"{way * self.step(fine=fine)}"}
        )
        self._clock.wait(self.touch_s)
        self.wait_for_reading_after(before + 1)

    def step(self, *, fine: bool = False) -> float:
        """How far one touch turns the adjuster in hand (turns)."""
        core = self._snapshot["core"]
        return float(core["fine_turns" if fine else "coarse_turns"]) if core else 0.05

    def wait_for_reading_after(self, reading_id: int) -> None:
        self._until(lambda: self.reading_id > reading_id)

    def wait_until(self, so: Callable[[], bool]) -> None:
        """Look again and again until what is shown is so."""
        waited_s = 0.0
        while not so():
            assert waited_s < LONGEST_S, f"still: {self.title}; {self.advice}"
            self._clock.wait(LOOK_S)
            waited_s += LOOK_S

    def hide_turns(self, hide: bool) -> None:
        self._send("turns-seen", {"seen": "" if hide else "yes"})

    def trace(self) -> str:
        return str(self._test.get(f"/bench/{self.run_id}/trace").get_json()["path"])

    # Within.

    @property
    def _main(self) -> bench_view.Action:
        with self.desk.book() as book:
            return bench_view.main_action(book, self._test.workshop.live if self.desk.on_instruments else None)

    @property
    def _offered(self) -> dict[str, tuple[str, str, str]]:
        """What else there is to press: act, and the field that goes along with its value, by key."""
        view = self.desk.view()
        ways = {o["key"]: ("decide", "option", str(o["id"])) for o in view["choices"]["others"]} if view["choices"] else {}
        return {o[2]: (o[0], o[3], o[4]) for o in view["offers"]} | ways

    @property
    def _snapshot(self) -> dict[str, Any]:
        return self.desk.snapshot()

    def _until(self, so: Callable[[], bool]) -> None:
        self.wait_until(so)

    def _send(self, act: str, form: dict[str, str]) -> None:
        self._pressed, self.asked = act, ""
        answer = self._test.post(f"/bench/{self.run_id}/{act}", json=True, here=self.desk.here, **form)
        if answer.status_code == 409:
            self.asked = answer.get_data(as_text=True)
        elif answer.status_code >= 400:
            raise AssertionError(f"{act} at “{self.title}”: {re.sub('<[^>]*>', ' ', answer.get_data(as_text=True))[:400]}")
