"""Safe start: power raised in rungs behind a limiter, with stop limits; rails against their expected volts, watched while they warm.

Where a start stands is worked out from what was logged, never kept beside it. «Unknown» is treated as a live chassis. Limits of
current are typical of table sets on 230 V mains and of small battery sets; a dossier or a person who knows better has the last word.
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from calm_needle.core.quantities import format_beside, format_db, format_plain, format_si
from calm_needle.core.verdict import Verdict

JUMP_SHARE = 0.25  # of the current before: a rise that is no warming up
MARGINAL = 1.5  # times the tolerance up to which a rail is marginal rather than out
LEAST_SHARE = 0.3  # of what a rail should reach at a rung, under which something holds it down
FEWEST_WARM = 3
WARM_S = 600.0  # s that rails are watched at full power before a start is finished
SETTLED_PERCENT_MIN = 0.2  # per cent a minute
SAG_PERCENT = 3.0  # per cent lost while warming that is a finding of its own
HEATS_S = 60.0  # s until heaters are hot and draw what loads the rails; before that a sound set's rails stand high
HIGH_COLD = 1.6  # times the expected volts, that no rail of a cold set exceeds for want of load


class Rung(NamedTuple):
    """One step of the ladder: what limits the power, the share of full volts it gives, the current at which to stop (A), what to watch, and
    for how long (s) its rails only warm and are not judged."""

    id: str
    title: str
    share: float
    stop_a: float
    watch: str
    heats_s: float = 0.0


class Point(NamedTuple):
    """A rail to be read: its id and name, expected volts and tolerance (%), or None where the papers do not say; from where that is known,
    empty for the model's own papers."""

    id: str
    name: str
    expected_v: float | None
    tolerance_percent: float
    source: str = ""


class Logged(NamedTuple):
    """One entry of the log: its number, kind, seconds since some beginning, and detail."""

    id: int
    kind: str
    t_s: float
    detail: Mapping[str, Any]


class Start(NamedTuple):
    """Where a start stands: rung (index), whether it was stopped and why, readings at this rung, rails over the time at full power; since
    when (s) it is at this rung. stopped_by: the entry that stopped it; cut: whether its power is known to be cut since."""

    rung: int
    stopped: str | None
    currents_a: tuple[float, ...]
    rails_v: Mapping[str, tuple[tuple[float, float], ...]]
    finished: bool
    since_s: float = 0.0
    stopped_by: int | None = None
    cut: bool = False

    def is_warming(self, point: str, rung: Rung) -> bool:
        """Whether a rail's last reading came before what loads it was warm."""
        return self.rails_v[point][-1][0] - self.since_s < rung.heats_s


MAINS = (
    Rung("lamp-40", "Behind a 40 W lamp", 0.35, 0.12, "The lamp flashes up and dims within ten seconds. If it stays bright, stop."),
    Rung("lamp-100", "Behind a 100 W lamp", 0.7, 0.3, "Heaters come up. Smell, listen, look for a glow that is not a heater."),
    Rung("full", "Straight on, fused", 1.0, 0.5, "Stand clear for a minute, then read the rails; stay with it for ten.", HEATS_S),
)
BATTERY = (
    Rung("half", "Bench supply at half volts, limited to 30\u00a0mA", 0.5, 0.03, "The supply must not go into its limit."),
    Rung("full", "Bench supply at full volts, limited to 100\u00a0mA", 1.0, 0.1, "Warm parts under the fingers: stop."),
)


class Look(NamedTuple):
    """One thing that is looked at before first power: its name in a form, and what is right."""

    id: str
    right: str


JOINTS = Look("joints", "No makeshift joints: nothing twisted, taped or hanging by one strand")
CLIPPINGS = Look("clippings", "No clippings, tools or loose parts in the chassis")
AT_MAINS = (
    Look("lead", "Mains lead sound over its whole length, and held at the chassis"),
    Look("plug", "Plug sound, and its fuse the right one"),
    Look("fuse", "The set’s own fuse the right one: no foil, no wire"),
    JOINTS,
    CLIPPINGS,
)
AT_BATTERY = (Look("leads", "Battery leads sound, and their polarity checked"), JOINTS, CLIPPINGS)


def looks_before(safety_class: str) -> tuple[Look, ...]:
    """Return what is looked at before the first power of a safety class; one that is not known is looked at like a mains set."""
    return AT_BATTERY if safety_class == "battery" else AT_MAINS


def ladder(safety_class: str) -> tuple[Rung, ...]:
    """Return the rungs for a safety class; a class that is not known starts like a live mains set."""
    return BATTERY if safety_class == "battery" else MAINS


def stand(log: Iterable[Logged], *, rungs: Sequence[Rung]) -> Start:
    """Return where a start stands after these entries, in their order."""
    rung, stopped, finished, since_s = -1, None, False, 0.0
    stopped_by, cut = None, False
    currents: list[float] = []
    rails: dict[str, list[tuple[float, float]]] = {}
    for entry in log:
        match entry.kind:
            case "rung":
                rung, currents, rails, finished, since_s = int(entry.detail["rung"]), [], {}, False, entry.t_s
                cut = False
            case "current":
                currents.append(float(entry.detail["a"]))
                if judge_current(currents, rung=rungs[rung]).state == "stop":
                    stopped = _too_much(currents[-1], rung=rungs[rung])
                    stopped_by, cut = entry.id, False
            case "rail":
                rails.setdefault(str(entry.detail["point"]), []).append((entry.t_s, float(entry.detail["v"])))
            case "smoke":
                stopped = str(entry.detail["words"]) or "Smoke, arcing or a hot smell."
                stopped_by, cut = entry.id, True
            case "cut":
                cut = True
            case "cause" | "off":
                rung, stopped, currents, rails, stopped_by, cut = -1, None, [], {}, None, False
            case "finish":
                finished = True
    return Start(rung, stopped, tuple(currents), {k: tuple(v) for k, v in rails.items()}, finished, since_s, stopped_by, cut)


def borne_out(log: Iterable[Logged], *, rungs: Sequence[Rung], points: Sequence[Point]) -> dict[str, bool]:
    """Return for each point that was read warm at full power whether what should stand there stood there, as it was last read."""
    found: dict[str, bool] = {}
    named = {p.id: p for p in points}
    rung, since_s = -1, 0.0
    for entry in log:
        if entry.kind == "rung":
            rung, since_s = int(entry.detail["rung"]), entry.t_s
        elif entry.kind in ("off", "cause", "smoke"):
            rung = -1
        point = named.get(str(entry.detail.get("point"))) if entry.kind == "rail" else None
        if point and point.expected_v and rung >= 0 and rungs[rung].share == 1.0 and entry.t_s - since_s >= rungs[rung].heats_s:
            found[point.id] = judge_rail(float(entry.detail["v"]), point=point, share=1.0).state == "good"
    return found


def minutes_at_full(start: Start, *, rungs: Sequence[Rung]) -> float:
    """Return for how many minutes rails were read at full power since it was taken; 0 below full power and while it is off."""
    if start.rung < 0 or start.stopped or rungs[start.rung].share < 1.0:
        return 0.0
    times = [t_s for seen in start.rails_v.values() for t_s, _ in seen]
    return (max(times) - min(times)) / 60.0 if times else 0.0


def judge_current(currents_a: Sequence[float], *, rung: Rung) -> Verdict:
    """Return what the current at a rung says: within, jumped, or at the stop limit. N >= 1 readings (A) in order."""
    now, shown = currents_a[-1], format_si(currents_a[-1], unit="A", digits=3)
    limit = format_si(rung.stop_a, unit="A", digits=3)
    if now >= rung.stop_a:
        return Verdict("stop", f"{shown} is at or over the stop limit of {limit}. Off at once; find what draws it.")
    if len(currents_a) > 1 and now > currents_a[-2] * (1.0 + JUMP_SHARE):
        before = format_si(currents_a[-2], unit="A", digits=3)
        return Verdict("watch", f"It jumped from {before} to {shown}: that is no warming up. Read it again before going on.")
    return Verdict("good", f"{shown}, under the stop limit of {limit}.")


def judge_rail(v: float, *, point: Point, share: float, warming: bool = False) -> Verdict:
    """Return what a rail says at a share of full power. It is not judged before its expected value was looked up, nor while it is warming:
    what draws its current is not hot yet."""
    shown = format_plain(v, unit="V")
    if point.expected_v is None:
        return Verdict("watch", f"{shown}, and no expected value: look it up before it is judged.")
    wanted = point.expected_v * share
    off = 100.0 * (v - point.expected_v) / point.expected_v
    if warming and abs(v) <= HIGH_COLD * abs(point.expected_v):
        return Verdict("watch", f"{shown}, {_percent(off)}: warming, not judged. Read it again when heaters and load are up.")
    if abs(v) > abs(point.expected_v) * (1.0 + MARGINAL * point.tolerance_percent / 100.0):
        return Verdict("stop", f"{shown} is {format_beside(off, 'the book’s')} {format_plain(point.expected_v, unit='V')}: too high.")
    if share < 1.0:
        if abs(v) < LEAST_SHARE * abs(wanted):
            return Verdict("stop", f"{shown}, where about {format_si(wanted, unit='V', digits=2)} should stand: something holds it down.")
        return Verdict("good", f"{shown}, about {100.0 * v / point.expected_v:.0f} % of full.")
    if abs(off) <= point.tolerance_percent:
        return Verdict("good", f"{shown}, {_percent(off)}: within {point.tolerance_percent:g} %.")
    if abs(off) <= MARGINAL * point.tolerance_percent:
        return Verdict("watch", f"{shown}, {_percent(off)}: marginal, the tolerance is {point.tolerance_percent:g} %.")
    return Verdict("stop", f"{shown}, {_percent(off)}: out of its {point.tolerance_percent:g} %.")


def judge_warm(readings: Sequence[tuple[float, float]], *, since_s: float | None = None, heats_s: float = 0.0) -> Verdict:
    """Return whether a rail (seconds, volts; in order) has settled, still moves, or sags while it warms.

    since_s: when it came to full power, heats_s: for how long after that its readings are those of a set whose heaters are not hot, and
    count for nothing. The slope is that of a least-squares line over the later half of the time watched.
    """
    began_s = since_s if since_s is not None else readings[0][0] if readings else 0.0
    readings = [r for r in readings if r[0] - began_s >= heats_s]
    if len(readings) < FEWEST_WARM or readings[-1][0] - readings[0][0] < 60.0:
        return Verdict("watch", "Read it again over some minutes: a warm fault does not show cold.")
    first, last = readings[0][1], readings[-1][1]
    middle = (readings[0][0] + readings[-1][0]) / 2.0
    later = [r for r in readings if r[0] >= middle] or list(readings[-2:])
    slope = 60.0 * _slope(later if len(later) > 1 else readings[-2:])
    lost = 100.0 * (first - last) / first if first else 0.0
    minutes = (readings[-1][0] - readings[0][0]) / 60.0
    said = f"{format_si(slope, unit='V', digits=2, signed=True)} a minute now, {_percent(-lost)} in {minutes:.0f} min"
    if lost >= SAG_PERCENT:
        return Verdict("stop", f"It sags while it warms: {said}. A finding of its own; find it before aligning.")
    if last and abs(100.0 * slope / last) > SETTLED_PERCENT_MIN:
        return Verdict("watch", f"It still moves: {said}.")
    if readings[-1][0] - began_s < WARM_S:
        return Verdict("watch", f"Steady so far: {said}. It is watched for {WARM_S / 60.0:.0f} min.")
    return Verdict("good", f"Settled: {said}.")


def may_climb(start: Start, *, rungs: Sequence[Rung], points: Sequence[Point]) -> Verdict:
    """Return whether the next rung may be taken: current and every rail read here, and nothing says stop."""
    if start.stopped:
        return Verdict("stop", f"Stopped: {start.stopped} Power stays off until the cause is found and written down.")
    if start.rung < 0:
        return Verdict("good", "Begin with the first rung.")
    if not start.currents_a:
        return Verdict("watch", "Read the current first.")
    unread = [p.name for p in points if p.id not in start.rails_v]
    if unread:
        return Verdict("watch", f"Still to be read here: {', '.join(unread)}.")
    current = judge_current(start.currents_a, rung=rungs[start.rung])
    if current.state != "good":
        return current
    for point in points:
        rung = rungs[start.rung]
        rail = judge_rail(start.rails_v[point.id][-1][1], point=point, share=rung.share, warming=start.is_warming(point.id, rung))
        if rail.state == "stop":
            return Verdict("stop", f"{point.name}: {rail.sentence}")
    return Verdict("good", "All within its limits here.")


def may_finish(start: Start, *, rungs: Sequence[Rung], points: Sequence[Point]) -> Verdict:
    """Return whether the start is through: at full power, every rail within its tolerance and settled after ten minutes."""
    if start.rung == len(rungs) - 1 and not start.stopped:
        # A sag first, whatever else is wrong: it is what made the volts wrong.
        for point in points:
            warm = judge_warm(start.rails_v.get(point.id, ()), since_s=start.since_s, heats_s=rungs[start.rung].heats_s)
            if warm.state == "stop":
                return Verdict("stop", f"{point.name}: {warm.sentence}")
    climbed = may_climb(start, rungs=rungs, points=points)
    if climbed.state != "good" or start.rung < len(rungs) - 1:
        return climbed if climbed.state != "good" else Verdict("watch", "Full power has not been reached.")
    # The worst first.
    rung = rungs[start.rung]
    for state in ("stop", "watch"):
        for point in points:
            seen, warming = start.rails_v[point.id], start.is_warming(point.id, rung)
            warm = judge_warm(seen, since_s=start.since_s, heats_s=rung.heats_s)
            for judged in (warm, judge_rail(seen[-1][1], point=point, share=1.0, warming=warming)):
                if judged.state == state:
                    return Verdict(judged.state, f"{point.name}: {judged.sentence}")
    return Verdict("good", "Rails right and settled, warm. The start is through.")


def _too_much(now_a: float, *, rung: Rung) -> str:
    now, limit = (format_si(a, unit="A", digits=3) for a in (now_a, rung.stop_a))
    return f"{now} is at or over the limit of {limit}, {rung.title[0].lower()}{rung.title[1:]}."


def _slope(readings: Sequence[tuple[float, float]]) -> float:
    t_mean, v_mean = (sum(r[i] for r in readings) / len(readings) for i in (0, 1))
    power = sum((t - t_mean) ** 2 for t, _ in readings)
    return sum((t - t_mean) * (v - v_mean) for t, v in readings) / power if power else 0.0


def _percent(value: float) -> str:
    return f"{format_db(value)} %"
