"""A band as its dial is solved: drawn values, which adjuster turns which part, where it is checked, how near is near enough."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from itertools import pairwise

from calm_needle.core.dossier.model import Band, Model
from calm_needle.core.physics.dial_fit import PAPERS, SISTER, TYPICAL, WORKED_OUT, Drawn, PartName
from calm_needle.core.physics.typical_tank import typical_tanks
from calm_needle.core.procedure.dial.pointer import UNMEASURED, Pointer
from calm_needle.errors import OutOfRange

FEWEST_MARKS = 3
PER_MM_OVER = 2e-3  # of a mark, over which its hertz per millimetre are taken
USUAL_TOLERANCE = 1.5  # per cent, where a dossier says nothing
# Whose values those of a dossier are, by its source; which part of an oscillator an adjuster turns, by its kind.
VALUES_FROM = {"own service data": PAPERS, "a sister model's": SISTER, "worked out at the bench": WORKED_OUT}
PART_OF: dict[str, PartName] = {"core": "coil", "slug": "coil", "trimmer": "trimmer", "padder": "padder"}
NOUNS: dict[str, str] = {
    "coil": "oscillator coil",
    "trimmer": "oscillator trimmer",
    "padder": "padder",
    "gang value": "gang",
    "gang shape": "gang",
}


@dataclass(frozen=True)
class DialBand:
    """A band whose dial can be solved. adjusters: of its oscillator's parts, those that turn, by id; parts: what each part is called in the
    papers; read_at_hz: the marks that are read first; book_hz: where the papers set it. cover: the name of what is off while the oscillator
    is set, and shifts it when it is put on again; empty where nothing is. pointer: how well that of this set comes back to a mark.
    """

    band: Band
    drawn: Drawn
    adjusters: Mapping[PartName, str]
    parts: Mapping[str, str]
    read_at_hz: tuple[float, ...]
    book_hz: tuple[float, ...]
    tolerance_percent: float
    tolerance_from: str
    cover: str = ""
    pointer: Pointer = UNMEASURED

    def part_of(self, adjuster_id: str) -> PartName | None:
        """Return the part that an adjuster turns; None for one that is not this oscillator's."""
        return next((part for part, a in self.adjusters.items() if a == adjuster_id), None)

    def without(self, adjusters: Collection[str]) -> "DialBand":
        """Return it as it is once some adjusters cannot be turned: seized, or left alone."""
        left = {part: a for part, a in self.adjusters.items() if a not in adjusters}
        return replace(self, adjusters=left, drawn=replace(self.drawn, turnable=tuple(left)))

    def as_wished(self, times: float, wish: str) -> "DialBand":
        """Return it with the tolerance that its owner's use of it leaves, so many times its own; what is listened to every day keeps it."""
        if times == 1.0:
            return self
        why = f"{times:g} times that of {self.tolerance_from}, for it is listened to {wish}"
        return replace(self, tolerance_percent=times * self.tolerance_percent, tolerance_from=why)

    def place_mm(self, dial_hz: float) -> float:
        """Return where a frequency stands along the scale (mm)."""
        return place_mm(self.band, dial_hz)

    def pointer_hz(self, dial_hz: float) -> float:
        """Return by how much what is received varies for the pointer alone (Hz, standard deviation)."""
        return self.pointer.sigma_mm * self.hz_per_mm(dial_hz)

    def hz_per_mm(self, dial_hz: float) -> float:
        """Return how many hertz a millimetre of the scale is about a mark."""
        beside_hz = PER_MM_OVER * dial_hz
        return abs(2.0 * beside_hz / (self.place_mm(dial_hz + beside_hz) - self.place_mm(dial_hz - beside_hz)))

    def error_mm(self, *, dial_hz: float, error_hz: float) -> float:
        """Return by how many millimetres of the scale a set reads wrong that receives error_hz beside a mark."""
        return self.place_mm(dial_hz + error_hz) - self.place_mm(dial_hz)


def place_mm(band: Band, dial_hz: float) -> float:
    """Return where a frequency stands along a scale (mm), straight between neighbouring marks, and beyond the last as before it."""
    pairs = list(pairwise(band.marks))
    a, b = next((p for p in pairs if dial_hz <= p[1].dial_hz), pairs[-1])
    return a.position_mm + (dial_hz - a.dial_hz) * (b.position_mm - a.position_mm) / (b.dial_hz - a.dial_hz)


def travel_share(band: Band, dial_hz: float) -> float:
    """Return how far the shaft has turned from the scale's lower end (0..1): as far as the pointer has gone along it."""
    if len(band.marks) < 2:
        return (dial_hz - band.f_low_hz) / (band.f_high_hz - band.f_low_hz)
    low, high = place_mm(band, band.f_low_hz), place_mm(band, band.f_high_hz)
    return (place_mm(band, dial_hz) - low) / (high - low)


def dial_band(model: Model, band: Band) -> DialBand | None:
    """Return a band as its dial is solved; None where its dossier lacks the printed marks, or no gang could cover it. Where it lacks the
    oscillator's values, typical ones stand in their place, and are believed as far as such can be."""
    if len(band.marks) < FEWEST_MARKS:
        return None
    known = {a.id: a for a in model.adjusters if not a.seized}
    tank, values_from = band.oscillator_tank, VALUES_FROM.get(str(model.source.get("kind")), PAPERS)
    if "l_h" not in tank or "trim_f" not in tank:
        at_points = [known[str(p["oscillator"])] for p in band.tracking if p.get("oscillator") in known]
        turns = {PART_OF[a.kind]: a.id for a in at_points if a.kind in PART_OF}
        try:
            values = typical_tanks(
                f_low_hz=band.marks[0].dial_hz,
                f_high_hz=band.marks[-1].dial_hz,
                if_hz=band.if_hz,
                side=1 if band.side == "above" else -1,
                padded=True,
            ).oscillator
        except OutOfRange:
            return None
        tank = {"l_h": values.l_h, "trim_f": values.trim_f, "padder_f": values.padder_f, **turns, **tank}
        values_from = TYPICAL
    named = {"coil": str(tank.get("coil", "")), "trimmer": str(tank.get("trimmer", "")), "padder": str(tank.get("padder", ""))}
    turned: dict[PartName, str] = {"coil": str(tank.get("core", named["coil"])), "trimmer": named["trimmer"], "padder": named["padder"]}
    adjusters = {part: a for part, a in turned.items() if a in known}
    marks = tuple(m.dial_hz for m in band.marks)
    side = 1 if band.side == "above" else -1
    drawn = Drawn(marks, band.if_hz, side, tank["l_h"], tank["trim_f"], tank.get("padder_f"), tuple(adjusters), values_from)
    book = tuple(float(p["dial_hz"]) for p in band.tracking if p.get("oscillator"))
    wanted = [float(p["dial_hz"]) for p in band.tracking] or [marks[0], marks[len(marks) // 2], marks[-1]]
    percent, source = _tolerance(model, band)
    return DialBand(band, drawn, adjusters, named, _nearest(wanted, marks), book, percent, source, model.oscillator_cover())


def dial_bands(model: Model, pointer: Pointer | None = None) -> dict[str, DialBand]:
    """Return the bands of a model whose dial can be solved, by id. pointer: that of the set, where it was measured."""
    found = ((b.id, dial_band(model, b)) for b in model.bands)
    return {name: replace(band, pointer=pointer or UNMEASURED) for name, band in found if band is not None}


def _nearest(wanted: list[float], marks: tuple[float, ...]) -> tuple[float, ...]:
    """The printed mark nearest to each wanted frequency, each once."""
    out = sorted({min(marks, key=lambda m, at=f: abs(m - at)) for f in wanted})  # type: ignore[misc]
    return tuple(out) if len(out) >= FEWEST_MARKS else (marks[0], marks[len(marks) // 2], marks[-1])


def _tolerance(model: Model, band: Band) -> tuple[float, str]:
    """The dial's tolerance (per cent), and from where it is known."""
    for s in model.specifications:
        if "most_percent" in s and (s.get("band") == band.id or s["id"] == f"calibration-{band.id.lower()}"):
            return float(s["most_percent"]), "the dossier"
    return USUAL_TOLERANCE, "usual for sets of the class"
