"""The power-ups of a job: each from its first step to its end, and the power at which every reading was taken."""

import itertools
from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

from calm_needle.core.facts.fact import Fact
from calm_needle.core.soundness.safe_start import Rung

# Added to the payload of every fact about power: its power-up, numbered from 1 (0 before the first step).
UP = "power_up"
# Added to each reading of volts: the share of full power, its time and that of its step (s), and whether heaters and load were up.
SHARE, T_S, SINCE_S, WARM = "share", "t_s", "since_s", "warm"
STEP = "power step"
STOP_A = "stop_a"  # added to each reading of the current: the limit of its step (A)


class PowerUp(NamedTuple):
    """One power-up: its facts in order, from the first step to its end."""

    number: int
    facts: tuple[Fact, ...]

    @property
    def began_utc(self) -> str:
        return self.facts[0].happened_utc


class _Power:
    """The power of a set, fact by fact; each method takes a fact and its time (s), and returns what is added to its payload."""

    def __init__(self, rungs: Sequence[Rung]) -> None:
        self._rungs = rungs
        self._rung: int | None = None
        self._since_s = 0.0
        self.up = 0

    def step(self, fact: Fact, t_s: float) -> dict[str, Any]:
        number = int(fact.detail["rung"])
        self.up += self._rung is None or number <= self._rung
        self._rung, self._since_s = number, t_s
        if fact.detail.get("said"):  # switched on straight, and left to warm
            self._since_s -= self._rungs[number].heats_s
        return {}

    def off(self, fact: Fact, t_s: float) -> dict[str, Any]:
        self._rung = None
        return {}

    def no_change(self, fact: Fact, t_s: float) -> dict[str, Any]:
        return {}

    def volts(self, fact: Fact, t_s: float) -> dict[str, Any]:
        """Without a step before it, a reading counts as warm at full power: the set was on."""
        share = 1.0 if self._rung is None else self._rungs[self._rung].share
        warm = share == 1.0 and (self._rung is None or t_s - self._since_s >= self._rungs[self._rung].heats_s)
        return {SHARE: share, T_S: t_s, SINCE_S: self._since_s, WARM: warm}

    def current(self, fact: Fact, t_s: float) -> dict[str, Any]:
        return {} if self._rung is None else {STOP_A: self._rungs[self._rung].stop_a}


# The kinds of fact about power, and what each means for it.
POWER: Mapping[str, Callable[[_Power, Fact, float], dict[str, Any]]] = {
    STEP: _Power.step,
    "power still on": _Power.no_change,
    "power-up finished": _Power.no_change,
    "rail": _Power.volts,
    "current": _Power.current,
    "smoke": _Power.off,
    "power cut": _Power.off,
    "power cause": _Power.off,
    "power off": _Power.off,
}


def with_power(facts: Sequence[Fact], *, rungs: Sequence[Rung], seconds: Callable[[str], float]) -> list[Fact]:
    """Return the facts, those about power with their power-up, and readings with the power at which they were taken. seconds: of a time as
    it is stored."""
    out, power = [], _Power(rungs)
    for f in facts:
        if added := POWER.get(f.kind):
            more = added(power, f, seconds(f.happened_utc))
            f = f._replace(detail={**f.detail, **more, UP: power.up})
        out.append(f)
    return out


def power_ups(facts: Sequence[Fact]) -> list[PowerUp]:
    """Return the power-ups among facts that went through `with_power`, each with its steps, readings, stops and end."""
    of_power = [f for f in facts if f.detail.get(UP)]
    return [PowerUp(up, tuple(mine)) for up, mine in itertools.groupby(of_power, key=lambda f: f.detail[UP])]
