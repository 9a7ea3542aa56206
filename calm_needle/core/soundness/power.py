"""Whether a set is on, worked out from the log of its power: on from the first rung until somebody says that it is off.

Readings end nothing, and neither does a start that is through. A start that was stopped by a current that was too high is live until its
power is said to be cut; after smoke it is cut by the same key that says so. What nobody has said is not known, and may be live.
"""

from collections.abc import Iterable, Sequence
from typing import Literal, NamedTuple

from calm_needle.core.soundness.safe_start import Logged, Rung, Start, stand

State = Literal["on", "off", "stopped", ""]


class Power(NamedTuple):
    """state: on, off, stopped (its cause is still to be written), or empty where nobody has said. live: whether it may hold volts; share:
    of full volts, 0 while it is not on; behind: what limits it, empty at full; since: the entry that made it so, None where there is none.
    """

    state: State
    live: bool
    share: float
    behind: str
    since: int | None

    @property
    def full(self) -> bool:
        """Whether it is on, straight on, and nothing limits it."""
        return self.state == "on" and self.share >= 1.0


UNKNOWN = Power("", True, 0.0, "", None)


def power_after(log: Iterable[Logged], *, rungs: Sequence[Rung]) -> Power:
    """Return how the power stands after these entries, in their order."""
    entries = list(log)
    start = stand(entries, rungs=rungs)
    if not any(entry.kind in CHANGES for entry in entries):
        return UNKNOWN
    since = _since(entries, start)
    if start.stopped:
        return Power("stopped", not start.cut, 0.0, "", since)
    if start.rung < 0:
        return Power("off", False, 0.0, "", since)
    rung = rungs[start.rung]
    return Power("on", True, rung.share, "" if rung.share >= 1.0 else rung.title[0].lower() + rung.title[1:], since)


# The entries after which power stands otherwise than before them; after a current too, where it is too high.
CHANGES = ("rung", "smoke", "cause", "off")
TURNS = {"rung": True, "smoke": False, "cut": False, "cause": False, "off": False}  # whether it is on after one


def _since(entries: Sequence[Logged], start: Start) -> int | None:
    """The entry from which it is so: a start is one from its first rung on."""
    if start.stopped:
        return start.stopped_by
    changes = [e for e in entries if e.kind in CHANGES]
    if start.rung < 0:
        return changes[-1].id
    since = changes[-1].id
    for entry in reversed(changes):
        if entry.kind != "rung":
            break
        since = entry.id
        if entry.detail["rung"] == 0:
            break
    return since


def seconds_on(log: Iterable[Logged], *, since_s: float, until_s: float) -> float:
    """Return for how many of the seconds between two times it was on; what came before the first entry counts as on, nobody having said."""
    on, at_s, out = True, since_s, 0.0
    for entry in log:
        if entry.kind in TURNS:
            t_s = min(max(entry.t_s, at_s), until_s)
            out += (t_s - at_s) * on
            on, at_s = TURNS[entry.kind], t_s
    return out + (until_s - at_s) * on if until_s > at_s else out


def why_not_off(power: Power, *, since: str) -> str:
    """Return why nothing may be touched, lifted or metered in ohms; empty where it is off. since: when, as it is shown."""
    if not power.live:
        return ""
    then = "Switch it off, pull the plug, bleed it, prove it with a meter; then say so at the top of the page."
    match power.state:
        case "on":
            return f"The set is on since {since}. {then}"
        case "stopped":
            return f"Its current was too high at {since}, and nobody has said since that its power is cut. {then}"
    return f"Nobody has said whether the set is on. {then}"


def why_not_heard(power: Power, *, since: str) -> str:
    """Return why nothing that the set gives can be compared with anything; empty where it is on, straight on, or nobody has said.

    Behind a limiter its rails stand at a third: a band that is silent there is not dead.
    """
    if power.state == "off":
        return f"The set is off since {since}. Switch it on and let it warm; then say so at the top of the page."
    if power.state == "stopped":
        return f"Its start was stopped at {since}. Write down the cause before it is switched on."
    if power.state == "on" and not power.full:
        return (
            f"The set is on {power.behind}, at {100.0 * power.share:.0f} % of full volts: what is heard there says nothing of it at full. "
            "Climb to full power first."
        )
    return ""


def let_go_by(entries: Iterable[tuple[bool, float | None]]) -> list[float]:
    """Return for each entry the seconds that were let go by at a training receiver since its start began.

    entries: whether a start begins with it, and the seconds let go by until then since the receiver was made, None where it does not say.
    """
    out, passed_s, began_s = [], 0.0, 0.0
    for begins, said_s in entries:
        passed_s = passed_s if said_s is None else said_s
        began_s = passed_s if begins else began_s
        out.append(passed_s - began_s)
    return out
