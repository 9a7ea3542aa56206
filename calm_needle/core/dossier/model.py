"""The description of a type of receiver: what a `calm-needle/model` file says, as dataclasses.

The file's shape is checked by its schema before it comes here; `core.dossier.faults` finds what a schema cannot: places that
point nowhere and numbers that contradict each other. Unknown keys stay in the file that is kept; they are not lost here.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from calm_needle.core.soundness.parts_sweep import Part
from calm_needle.errors import UnknownName

Side = Literal["above", "below"]
Reads = Literal["level", "offset", "value"]
TYPICAL_KAPPA = 0.7
OF_A_SISTER = "a sister model's"  # the kind of papers whose targets are unverified until a reading here bears them out
NOT_TUNED = ("power", "audio")  # kinds of stage whose windings are those of transformers and chokes
TUNING_ID = "tuning"  # the dial of the set, where a step lets it move like any other adjuster


@dataclass(frozen=True)
class Source:
    """What to set on the signal generator. depth 0..1 for AM, deviation for FM."""

    frequency_hz: float
    level_v: float
    modulation: Literal["AM", "FM", "none"]
    depth: float = 0.0
    tone_hz: float = 0.0
    deviation_hz: float = 0.0


@dataclass(frozen=True)
class Watched:
    """What is watched: the quantity, where, across what, on which instrument; the readings between which it can be trusted. point: the test
    point where its probe is clipped, where it is not at the output.

    reads: level (in decibels from where it began), offset (signed, about a centre), value (between limits).
    """

    quantity: str
    unit: str
    where: str
    load_ohm: float | None = None
    window: tuple[float, float] | None = None
    instrument: str = ""
    reads: Reads | None = None
    point: str = ""


@dataclass(frozen=True)
class Tuning:
    """How the set itself stands: band, pointer (Hz), how it is tuned in words, the other controls, and from where the pointer is brought to
    its mark: «below», «above», «lower end» or «upper end» of the scale, or as it comes."""

    band: str | None = None
    dial_hz: float | None = None
    how: str = ""
    controls: Mapping[str, Any] = field(default_factory=dict)
    come_from: str = ""


@dataclass(frozen=True)
class SetUp:
    """All that must be set for a step. cover: whether the covers are on, where a step says so."""

    tuning: Tuning = Tuning()
    source: Source | None = None
    goes_in: str | None = None
    coupling: Mapping[str, Any] = field(default_factory=dict)
    watched: Watched | None = None
    cover: Literal["on", "off"] | None = None


@dataclass(frozen=True)
class Adjuster:
    """Anything that is turned. seized: no tool moves it any more."""

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
    seized: bool = False

    @property
    def phrase(self) -> str:
        """How a sentence names it: "the upper core of IFT1", or its own name."""
        if self.transformer and self.name.startswith(self.transformer + " "):
            return f"the {self.name[len(self.transformer) + 1 :]} {self.kind} of {self.transformer}"
        return f"the {self.name}"


TUNING = Adjuster(TUNING_ID, "tuning", "tuning", "above", 0.0, 0.0, "by hand", "the whole set", None, None, None, None, "")


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
    """One act of the procedure, with everything that must be set for it.

    kind: a name of core.procedure.kinds. roles: what an adjuster is in this step, where that is said. aim: what its kind is judged
    by, as the dossier writes it; which keys it needs, the kind says.
    """

    id: str
    kind: str
    title: str
    adjusters: tuple[str, ...]
    why: str
    hazards: tuple[str, ...]
    set_up: SetUp
    measures: tuple[str, ...] = ()
    passband_span_hz: float = 0.0
    passband_points: int = 0
    aim: Mapping[str, Any] = field(default_factory=dict)
    roles: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class RoundRule:
    """When a group of steps is gone through again: while a round changes more than `below` of a unit, at most so many times."""

    unit: str
    below: float
    most_rounds: int


@dataclass(frozen=True)
class Group:
    """Steps that belong together, when they are repeated, and what is decided (core.procedure.decisions) once they are through.

    derived_from: from what its steps are derived, where they are; anew: because they no longer stand. hangs_together: its steps were
    worked out for one another, so one that cannot be done ends it. dropped: decided otherwise since, so it is no longer led through.
    """

    id: str
    phase: str
    title: str
    steps: tuple[Step, ...]
    repeat: RoundRule | None = None
    derived_from: str = ""
    invalidated_by: tuple[str, ...] = ()
    decides: str = ""
    anew: bool = True
    hangs_together: bool = False
    dropped: bool = False


@dataclass(frozen=True)
class Mark:
    dial_hz: float
    position_mm: float


@dataclass(frozen=True)
class Band:
    """A range of the dial with its printed marks and, where known, its tanks. scale_typical: nobody has measured where the marks stand."""

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
    scale_typical: bool = False


@dataclass(frozen=True)
class Stage:
    """A link of the chain."""

    id: str
    kind: str
    name: str
    feeds: tuple[str, ...]
    devices: tuple[Mapping[str, Any], ...]
    test_points: tuple[Mapping[str, Any], ...]

    @property
    def called(self) -> str:
        """Its kind, as one reads it: the file’s “if” is the IF."""
        return self.kind.replace("if ", "IF ")


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
        for adjuster in (*self.adjusters, TUNING):
            if adjuster.id == adjuster_id:
                return adjuster
        raise UnknownName("adjuster", adjuster_id, known=(a.id for a in self.adjusters))

    def core_of(self, winding: str) -> Adjuster | None:
        """Return the core of a transformer's winding by its part (IFT1-p, IFT1-s); None for any other part."""
        transformer, _, end = winding.rpartition("-")
        which = {"p": "primary", "s": "secondary"}.get(end)
        return next((a for a in self.adjusters if a.transformer == transformer and a.winding == which), None)

    def work_of_winding(self, part: Part) -> str:
        """Return what a winding does: tuned at the intermediate frequency, at the signal, or none of that (its stage's kind)."""
        if self.core_of(part.id):
            return "intermediate frequency"
        kind = next((s.kind for s in self.stages if s.id == part.stage), "")
        return kind if kind in NOT_TUNED else "signal"

    def coupling_of(self, transformer: str) -> float:
        """Return κ of a transformer's two windings, as the dossier has it, or what is typical of its class."""
        links = (
            c for s in self.raw["stages"] for c in (s.get("circuit", ()) if isinstance(s.get("circuit"), list) else [s.get("circuit", {})])
        )
        stated = next((c["kappa"] for c in links if c.get("transformer") == transformer and "kappa" in c), None)
        return float(stated or self.simulation.get("transformers", {}).get(transformer, {}).get("kappa", TYPICAL_KAPPA))

    def at_the_aerial(self) -> SetUp | None:
        """Return the first set-up of the procedure that feeds the set at its aerial; None where none does."""
        points = {p["id"] for p in self.raw.get("test_points", ())}
        points |= {p["id"] for stage in self.stages if stage.kind == "aerial" for p in stage.test_points}
        return next((s.set_up for g in self.groups for s in g.steps if s.set_up.goes_in in points), None)

    def output_point(self) -> str:
        """Return the test point at the loudspeaker: the last of the last audio stage; empty where the dossier names none."""
        points = [str(p["id"]) for stage in self.stages if stage.kind == "audio" for p in stage.test_points]
        return points[-1] if points else ""

    def oscillator_stage(self) -> str | None:
        """Return the stage that oscillates: one of that kind, or one of whose circuits is an oscillator; None where none does."""
        named = next((s.id for s in self.stages if s.kind == "oscillator"), None)
        return named or next((str(s["id"]) for s in self.raw["stages"] if any(c.get("kind") == "oscillator" for c in circuits(s))), None)

    def oscillator_cover(self) -> str:
        """Return the name of the cover over the oscillator, which is off while that is set; empty where there is none."""
        over = (c for c in self.raw.get("covers", ()) if "oscillator" in c["over"])
        return next((str(c["name"]) for c in over), "")

    def signal_circuits(self, band_id: str) -> tuple[float | None, int]:
        """Return the Q of a band's signal circuits (the mean of those that the papers give, None where they give none), and how many."""
        band = next(b for b in self.raw["bands"] if b["id"] == band_id)
        tanks = [c for s in self.raw["stages"] for c in circuits(s) if band_id in c.get("bands", {}) and c.get("tank", "") in band]
        known = [float(c["bands"][band_id]["q"]) for c in tanks if "q" in c["bands"][band_id]]
        return (sum(known) / len(known) if known else None), max(1, len(tanks))

    def point_name(self, point_id: str | None) -> str:
        """The name of a test point, wherever in the dossier it stands; its id when it has none."""
        for point in points_of(self.raw):
            if point["id"] == point_id:
                return str(point["name"])
        return point_id or ""

    def groups_of(self, phase: str) -> tuple[Group, ...]:
        return tuple(group for group in self.groups if group.phase == phase)


def circuits(stage: Mapping[str, Any]) -> list[Mapping[str, Any]]:
    """Return the links that a stage's data has, one or several; none of an older dossier."""
    circuit = stage.get("circuit", [])
    return list(circuit) if isinstance(circuit, list) else [circuit]


def points_of(data: Mapping[str, Any]) -> Iterator[Mapping[str, Any]]:
    """Yield every test point of a dossier's data, wherever it stands."""
    yield from data.get("test_points", ())
    for stage in data["stages"]:
        yield from stage.get("test_points", ())
