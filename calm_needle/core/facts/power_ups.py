"""The power-ups of a job: each from its first step to when it went off, and what was read of the set's own time in it."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from calm_needle.core.facts.fact import Fact
from calm_needle.core.soundness.safe_start import Rung

# Added to the payload of each reading of volts: which power-up it belongs to, at which share of full power, seconds since the first fact,
# when that step began, and whether heaters and load were up.
UP, SHARE, T_S, SINCE_S, WARM = "power_up", "share", "t_s", "since_s", "warm"
STOP_A = "stop_a"  # added to each reading of the current: the limit of its step (A)
ENDS = ("power cause", "power off", "power cut", "smoke")
POWER = (*ENDS, "power step", "current", "rail", "power still on", "power-up finished")


class PowerUp(NamedTuple):
    """One power-up: its facts in order, from the first step to what ended it."""

    number: int
    facts: tuple[Fact, ...]

    @property
    def began_utc(self) -> str:
        return self.facts[0].happened_utc


def with_power(facts: Sequence[Fact], *, rungs: Sequence[Rung], seconds: Callable[[str], float]) -> list[Fact]:
    """Return the facts, every reading of volts with the power at which it was taken. Readings without a step before count as warm at full
    power: somebody read them on a set that was on."""
    out, up, rung, since_s = [], 0, None, 0.0
    for f in facts:
        if f.kind not in POWER:
            out.append(f)
            continue
        t_s = seconds(f.happened_utc)
        if f.kind == "power step":
            number = int(f.detail["rung"])
            up += rung is None or number <= rung
            rung, since_s = number, t_s
            if f.detail.get("said"):  # switched on straight, and left to warm
                since_s -= rungs[number].heats_s
        elif f.kind in ENDS:
            rung = None
        elif f.kind == "rail":
            share = 1.0 if rung is None else rungs[rung].share
            warm = share == 1.0 and (rung is None or t_s - since_s >= rungs[rung].heats_s)
            f = f._replace(detail={**f.detail, UP: up, SHARE: share, T_S: t_s, SINCE_S: since_s, WARM: warm})
        elif f.kind == "current" and rung is not None:
            f = f._replace(detail={**f.detail, STOP_A: rungs[rung].stop_a})
        out.append(f)
    return out


def power_ups(facts: Sequence[Fact]) -> list[PowerUp]:
    """Return the power-ups of a job, each with its steps, readings, stops and how it ended."""
    out: list[list[Fact]] = []
    rung: int | None = None
    for f in facts:
        if f.kind == "power step":
            if rung is None or int(f.detail["rung"]) <= rung:
                out.append([])
            rung = int(f.detail["rung"])
        if not out or f.kind not in POWER:
            continue
        out[-1].append(f)
        if f.kind in ENDS:
            rung = None
    return [PowerUp(i, tuple(found)) for i, found in enumerate(out, start=1)]
