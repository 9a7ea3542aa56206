"""Reading a dossier's data into its dataclasses. The shape was checked by the schema, the meaning by `faults`, before it comes here."""

from collections.abc import Iterable, Mapping
from typing import Any

from calm_needle.core.dossier.model import (
    TUNING,
    Adjuster,
    Band,
    Group,
    Landmark,
    Mark,
    Model,
    RoundRule,
    SetUp,
    Source,
    Stage,
    Step,
    Tuning,
    Watched,
)
from calm_needle.core.procedure.kinds.table import KINDS
from calm_needle.core.soundness.parts_sweep import Part


def read_model(data: Mapping[str, Any]) -> Model:
    """Return the model that a dossier describes. `data` must have passed the schema and `meaning_faults`."""
    adjusters = tuple(_adjuster(a) for a in data["adjusters"])
    chassis = data["chassis"]
    first_if = data["intermediate_frequencies"][0]
    return Model(
        key=data["key"],
        name=data["name"],
        kind=data["kind"],
        technology=data["technology"],
        safety_class=data["safety_class"],
        description=data.get("description", ""),
        source=data.get("source", {}),
        if_hz=first_if["if_hz"],
        bandwidth_6db_hz=first_if.get("bandwidth_6db_hz"),
        stages=tuple(_stage(s) for s in data["stages"]),
        bands=tuple(_band(b) for b in data["bands"]),
        adjusters=adjusters,
        landmarks=tuple(_landmark(m) for m in chassis["landmarks"]),
        chassis_width_mm=chassis["width_mm"],
        chassis_depth_mm=chassis["depth_mm"],
        chassis_front=chassis.get("front", "front"),
        regions=tuple(chassis.get("regions", ())),
        specifications=tuple(data.get("specifications", ())),
        groups=read_groups([resolved_group(g, adjusters) for g in data["procedure"]]),
        parts=tuple(_part(p) for p in data.get("parts", ())),
        simulation=data.get("simulation", {}),
        raw=data,
    )


def _part(p: Mapping[str, Any]) -> Part:
    named = f"{p['id']}, {p['name']}" if p.get("name") else p["id"]
    more = (p.get("can", ""), p.get("weak", False), p.get("stage", ""), p.get("of", ""))
    return Part(p["id"], p["kind"], named, p["nominal"], p["tolerance_percent"], p["region"], *more)


def _adjuster(a: Mapping[str, Any]) -> Adjuster:
    return Adjuster(
        id=a["id"],
        name=a["name"],
        kind=a["kind"],
        side=a["side"],
        x_mm=a["place"]["x_mm"],
        y_mm=a["place"]["y_mm"],
        tool=a["tool"],
        tunes=a["tunes"]["text"],
        transformer=a["tunes"].get("transformer"),
        winding=a["tunes"].get("winding"),
        travel_turns=a.get("travel_turns"),
        clockwise_raises=a.get("clockwise_raises"),
        remarks=a.get("remarks", ""),
        seized=a.get("seized", False),
    )


def _landmark(m: Mapping[str, Any]) -> Landmark:
    size = m.get("diameter_mm", 20.0)
    return Landmark(m["id"], m["label"], m["shape"], m["x_mm"], m["y_mm"], m.get("width_mm", size), m.get("depth_mm", size), m["side"])


def _stage(s: Mapping[str, Any]) -> Stage:
    return Stage(s["id"], s["kind"], s["name"], tuple(s["feeds"]), tuple(s.get("devices", ())), tuple(s.get("test_points", ())))


def _band(b: Mapping[str, Any]) -> Band:
    return Band(
        b["id"],
        b["name"],
        b["f_low_hz"],
        b["f_high_hz"],
        b["if_hz"],
        b["side"],
        tuple(Mark(m["dial_hz"], m["position_mm"]) for m in b.get("dial", {}).get("marks", ())),
        tuple(b.get("tracking", ())),
        b.get("oscillator_tank", {}),
        b.get("signal_tank", {}),
        bool(b.get("dial", {}).get("typical", False)),
    )


def resolved_group(g: Mapping[str, Any], adjusters: Iterable[Adjuster]) -> dict[str, Any]:
    """Return a group of a dossier's procedure with each step whole: its title written out, all that is set for it in one place."""
    by_id = {a.id: a for a in (*adjusters, TUNING)}
    steps = [{**s, "title": s.get("title") or _title(s, by_id), "set": {**g.get("set", {}), **s.get("set", {})}} for s in g["steps"]]
    return {**{k: v for k, v in g.items() if k != "set"}, "steps": steps}


def read_groups(groups: Iterable[Mapping[str, Any]]) -> tuple[Group, ...]:
    """Return groups whose steps are whole, as `resolved_group` makes them."""
    return tuple(_group(g) for g in groups)


def _group(g: Mapping[str, Any]) -> Group:
    r = g.get("repeat_until")
    unit, below = ("", 0.0) if not r else ("dB", r["gain_below_db"]) if "gain_below_db" in r else (r["unit"], r["change_below"])
    return Group(
        g["id"],
        g["phase"],
        g["title"],
        tuple(_step(s) for s in g["steps"]),
        RoundRule(unit, below, r.get("most_rounds", 1)) if r else None,
        g.get("derived", {}).get("from", ""),
        tuple(g.get("invalidated_by", ())),
        str(g.get("decides", "")),
        not g.get("derived", {}).get("first", False),
        bool(g.get("hangs_together", False)),
    )


def _step(s: Mapping[str, Any]) -> Step:
    passband = s.get("passband", {})
    return Step(
        s["id"],
        s["kind"],
        s["title"],
        tuple(adjuster_ids(s)),
        s["why"],
        tuple(s.get("hazards", ())),
        read_set_up(s.get("set", {})),
        tuple(s.get("measures", ())),
        passband.get("span_hz", 0.0),
        passband.get("points", 0),
        s.get("aim", {}),
        {a["id"]: a["role"] for a in s["adjusters"] if not isinstance(a, str) and a.get("role")},
    )


def adjuster_ids(s: Mapping[str, Any]) -> list[str]:
    """Return the ids of a step's adjusters, which a dossier writes plainly or, with a role, as an object."""
    return [a if isinstance(a, str) else a["id"] for a in s["adjusters"]]


def _title(s: Mapping[str, Any], adjusters: Mapping[str, Adjuster]) -> str:
    what = " and ".join(adjusters[a].phrase for a in adjuster_ids(s))
    kind = KINDS.get(s["kind"])
    return f"{kind.verb if kind else s['kind'].replace('_', ' ').capitalize()} {what}".strip()


def read_set_up(u: Mapping[str, Any]) -> SetUp:
    """Return the set-up that a dossier or a stored plan writes."""
    g, i, r = u.get("generator"), u.get("indicator"), u.get("receiver", {})
    window = i and (i.get("window") or i.get("window_v"))
    return SetUp(
        tuning=Tuning(
            r.get("band"),
            r.get("tuning_hz"),
            str(r.get("tuning", "")),
            {k: v for k, v in r.items() if k not in ("band", "tuning", "tuning_hz", "come_from")},
            str(r.get("come_from", "")),
        ),
        source=_source(g) if g else None,
        goes_in=u.get("goes_in"),
        coupling=u.get("coupling", {}),
        watched=Watched(
            i["quantity"],
            i["unit"],
            i["where"],
            i.get("load_ohm"),
            (float(window[0]), float(window[1])) if window else None,
            i.get("instrument", ""),
            i.get("reads"),
            i.get("point", ""),
        )
        if i
        else None,
        cover=u.get("cover"),
    )


def _source(g: Mapping[str, Any]) -> Source:
    m = g["modulation"]
    return Source(g["frequency_hz"], g["level_v"], m["kind"], m.get("depth", 0.0), m.get("tone_hz", 0.0), m.get("deviation_hz", 0.0))
