"""The description of a type of receiver: what a `calm-needle/model` file says, as dataclasses.

The file's shape is checked by its schema before it comes here; `core.dossier_faults` finds what a schema cannot: places that
point nowhere and numbers that contradict each other. Unknown keys stay in the file that is kept; they are not lost here.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from calm_needle.core.parts_sweep import Part
from calm_needle.errors import UnknownName

Side = Literal["above", "below"]
StepKind = Literal[
    "peak", "null", "target", "window", "zero_beat", "zero_cross", "centre", "shape", "alternate", "rock", "check", "wait", "inspect"
]
# As in the dossier; the order of the work.
PHASES = (
    "intake",
    "safe start",
    "health",
    "fault finding",
    "intermediate frequency",
    "oscillator and dial",
    "front end",
    "verification",
    "record",
)


@dataclass(frozen=True)
class Generator:
    """What to set on the signal generator."""

    frequency_hz: float
    level_v: float
    modulation: Literal["AM", "FM", "none"]
    depth: float = 0.0
    tone_hz: float = 0.0


@dataclass(frozen=True)
class Indicator:
    """What is watched: the quantity, where, across what; the readings between which it can be trusted."""

    quantity: str
    unit: str
    where: str
    load_ohm: float | None = None
    window_v: tuple[float, float] | None = None


@dataclass(frozen=True)
class SetUp:
    """All that must be set for a step."""

    receiver: Mapping[str, Any] = field(default_factory=dict)
    generator: Generator | None = None
    goes_in: str | None = None
    coupling: Mapping[str, Any] = field(default_factory=dict)
    indicator: Indicator | None = None


@dataclass(frozen=True)
class Adjuster:
    """Anything that is turned."""

    id: str
    name: str
    kind: str
    side: Side
    x_mm: float
    y_mm: float
    tool: str
    tunes: str
    transformer: str | None
    winding: str | None
    travel_turns: float | None
    clockwise_raises: bool | None
    remarks: str

    @property
    def phrase(self) -> str:
        """How a sentence names it: "the upper core of IFT1", or its own name."""
        if self.transformer and self.name.startswith(self.transformer + " "):
            return f"the {self.name[len(self.transformer) + 1 :]} {self.kind} of {self.transformer}"
        return f"the {self.name}"


@dataclass(frozen=True)
class Landmark:
    """Something on the chassis by which one finds one's way."""

    id: str
    label: str
    shape: Literal["box", "round", "can", "plates"]
    x_mm: float
    y_mm: float
    width_mm: float
    depth_mm: float
    side: Literal["above", "below", "both"]


@dataclass(frozen=True)
class Step:
    """One act of the procedure, with everything that must be set for it."""

    id: str
    kind: StepKind
    title: str
    adjusters: tuple[str, ...]
    why: str
    hazards: tuple[str, ...]
    set_up: SetUp
    measures: tuple[str, ...] = ()
    passband_span_hz: float = 0.0
    passband_points: int = 0


@dataclass(frozen=True)
class Group:
    """Steps that belong together, and when they are repeated."""

    id: str
    phase: str
    title: str
    steps: tuple[Step, ...]
    gain_below_db: float | None = None
    most_rounds: int = 1
    invalidated_by: tuple[str, ...] = ()


@dataclass(frozen=True)
class Mark:
    dial_hz: float
    position_mm: float


@dataclass(frozen=True)
class Band:
    """A range of the dial with its printed marks and, where known, its tanks."""

    id: str
    name: str
    f_low_hz: float
    f_high_hz: float
    if_hz: float
    side: Side
    marks: tuple[Mark, ...]
    tracking: tuple[Mapping[str, Any], ...]
    oscillator_tank: Mapping[str, Any]
    signal_tank: Mapping[str, Any]


@dataclass(frozen=True)
class Stage:
    """A link of the chain."""

    id: str
    kind: str
    name: str
    feeds: tuple[str, ...]
    devices: tuple[Mapping[str, Any], ...]
    test_points: tuple[Mapping[str, Any], ...]


@dataclass(frozen=True)
class Model:
    """A dossier. `raw` is the file as it came, for what this version does not read."""

    key: str
    name: str
    kind: str
    technology: str
    safety_class: str
    description: str
    source: Mapping[str, Any]
    if_hz: float
    bandwidth_6db_hz: float | None
    stages: tuple[Stage, ...]
    bands: tuple[Band, ...]
    adjusters: tuple[Adjuster, ...]
    landmarks: tuple[Landmark, ...]
    chassis_width_mm: float
    chassis_depth_mm: float
    chassis_front: str
    regions: tuple[Mapping[str, Any], ...]
    specifications: tuple[Mapping[str, Any], ...]
    groups: tuple[Group, ...]
    parts: tuple[Part, ...]
    simulation: Mapping[str, Any]
    raw: Mapping[str, Any] = field(repr=False, hash=False, compare=False)

    def adjuster(self, adjuster_id: str) -> Adjuster:
        for adjuster in self.adjusters:
            if adjuster.id == adjuster_id:
                return adjuster
        raise UnknownName("adjuster", adjuster_id, known=(a.id for a in self.adjusters))

    def core_of(self, winding: str) -> Adjuster | None:
        """Return the core of a transformer's winding by its part (IFT1-p, IFT1-s); None for any other part."""
        transformer, _, end = winding.rpartition("-")
        which = {"p": "primary", "s": "secondary"}.get(end)
        return next((a for a in self.adjusters if a.transformer == transformer and a.winding == which), None)

    def point_name(self, point_id: str | None) -> str:
        """The name of a test point, wherever in the dossier it stands; its id when it has none."""
        for point in points_of(self.raw):
            if point["id"] == point_id:
                return str(point["name"])
        return point_id or ""

    def groups_of(self, phase: str) -> tuple[Group, ...]:
        return tuple(group for group in self.groups if group.phase == phase)


def read_model(data: Mapping[str, Any]) -> Model:
    """Return the model that a dossier describes. `data` must have passed the schema and `meaning_faults`."""
    adjusters = tuple(_adjuster(a) for a in data["adjusters"])
    by_id = {a.id: a for a in adjusters}
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
        groups=tuple(_group(g, by_id) for g in data["procedure"]),
        parts=tuple(_part(p) for p in data.get("parts", ())),
        simulation=data.get("simulation", {}),
        raw=data,
    )


def points_of(data: Mapping[str, Any]) -> Iterator[Mapping[str, Any]]:
    """Yield every test point of a dossier's data, wherever it stands."""
    yield from data.get("test_points", ())
    for stage in data["stages"]:
        yield from stage.get("test_points", ())


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
    )


def _group(g: Mapping[str, Any], adjusters: Mapping[str, Adjuster]) -> Group:
    repeat = g.get("repeat_until", {})
    return Group(
        g["id"],
        g["phase"],
        g["title"],
        tuple(_step(s, g.get("set", {}), adjusters) for s in g["steps"]),
        repeat.get("gain_below_db"),
        repeat.get("most_rounds", 1),
        tuple(g.get("invalidated_by", ())),
    )


def _step(s: Mapping[str, Any], common: Mapping[str, Any], adjusters: Mapping[str, Adjuster]) -> Step:
    passband = s.get("passband", {})
    return Step(
        s["id"],
        s["kind"],
        s.get("title") or _title(s, adjusters),
        tuple(s["adjusters"]),
        s["why"],
        tuple(s.get("hazards", ())),
        _set_up({**common, **s.get("set", {})}),
        tuple(s.get("measures", ())),
        passband.get("span_hz", 0.0),
        passband.get("points", 0),
    )


def _title(s: Mapping[str, Any], adjusters: Mapping[str, Adjuster]) -> str:
    what = " and ".join(adjusters[a].phrase for a in s["adjusters"])
    verb = {"peak": "Peak", "null": "Null", "alternate": "Set", "rock": "Rock and peak"}.get(
        s["kind"], s["kind"].replace("_", " ").capitalize()
    )
    return f"{verb} {what}".strip()


def _set_up(u: Mapping[str, Any]) -> SetUp:
    g, i = u.get("generator"), u.get("indicator")
    return SetUp(
        receiver=u.get("receiver", {}),
        generator=Generator(
            g["frequency_hz"], g["level_v"], g["modulation"]["kind"], g["modulation"].get("depth", 0.0), g["modulation"].get("tone_hz", 0.0)
        )
        if g
        else None,
        goes_in=u.get("goes_in"),
        coupling=u.get("coupling", {}),
        indicator=Indicator(i["quantity"], i["unit"], i["where"], i.get("load_ohm"), tuple(i["window_v"]) if i.get("window_v") else None)
        if i
        else None,
    )
