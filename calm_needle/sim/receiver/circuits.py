"""What a dossier says of its circuits, as links in the order in which a signal goes through them.

A stage's `circuit` is one link or several, each with its `kind` (stages.table). A dossier that has none is read by its `simulation`, as
older ones describe their transformers, gains, tanks and trap; what is missing there too is typical of the class.
"""

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from calm_needle.core.constants import BOLTZMANN_J_PER_K, REFERENCE_TEMPERATURE_K
from calm_needle.core.dossier.model import Model
from calm_needle.sim.receiver.stages.band_tanks import AERIAL_OHM
from calm_needle.sim.receiver.transformer import typical_winding

# What a dossier without a simulation part is given: typical of valve sets of the class.
TYPICAL: dict[str, Any] = {
    "gain": {"mixer": 60.0, "if_amplifier": 150.0},
    "gain_control": {"threshold_v": 3.0, "slope": 5.0},
    "audio": {"detector_efficiency": 0.85, "gain": 0.6},
    "noise": {"flutter": 0.01},
}
TYPICAL_KAPPA = 0.7
TYPICAL_BANDWIDTH_HZ = 6e3
EQUIVALENT_OHM = {"mixer_ohm": 60e3, "if_ohm": 8e3}  # of valves of the class, at their grids
# Kinds of stage, as dossiers have them.
AERIAL, MIXING, AMPLIFYING, OSCILLATING, DETECTING, SOUNDING = "aerial", "mixer", "if amplifier", "oscillator", "detector", "audio"


class Link(NamedTuple):
    """One link: the stage of the dossier that it is a piece of (none for what no stage stands for), and its data, `kind` among it."""

    stage_id: str
    data: Mapping[str, Any]


class Circuits(NamedTuple):
    """The links in their order; the gain control that they have together; what was filled in, by name."""

    links: list[Link]
    gain_control: Mapping[str, float]
    filled_in: tuple[str, ...]


def circuits_of(model: Model) -> Circuits:
    """Return the links of a model."""
    stages = {s["id"]: s for s in model.raw["stages"]}
    if any("circuit" in s for s in stages.values()):
        control = next((s["gain_control"] for s in stages.values() if "gain_control" in s), {"threshold_v": 1e9, "slope": 0.0})
        return Circuits(list(_described(stages)), control, ())
    filled_in = tuple(name for name in (*TYPICAL, "transformers") if name not in model.simulation)
    settings = {**TYPICAL, **model.simulation}
    return Circuits(list(_as_older_ones(model, settings)), settings["gain_control"], filled_in)


def _described(stages: Mapping[str, Mapping[str, Any]]) -> Iterator[Link]:
    """The links of every stage that has some, each stage after all that feed it."""
    for stage_id in _in_order(stages):
        circuit = stages[stage_id].get("circuit", [])
        for data in circuit if isinstance(circuit, list) else [circuit]:
            yield Link(stage_id, data)


def _in_order(stages: Mapping[str, Mapping[str, Any]]) -> list[str]:
    """Stage ids so that each comes after what feeds it, as far as they do not go round; among equals as the dossier has them."""
    out: list[str] = []
    left = list(stages)
    while left:
        fed = {f for s in left for f in stages[s]["feeds"]}
        free = [s for s in left if s not in fed] or left[:1]
        out.append(free[0])
        left.remove(free[0])
    return out


def _as_older_ones(model: Model, settings: Mapping[str, Any]) -> Iterator[Link]:
    """The links of a dossier that describes its circuits by `simulation`."""
    by_kind = {s.kind: s for s in reversed(model.stages)}
    ids = {kind: stage.id for kind, stage in by_kind.items()}
    strip = [s.id for s in _strip(model)]
    names = _transformers(model)
    # The windings through which valves are fed: of the transformers; of the output; and before the mixer, what is neither.
    others = {winding: stage for winding, stage in _windings(model).items() if winding.rpartition("-")[0] not in names}
    output = next((w for w, stage in others.items() if stage == ids.get(SOUNDING)), "")
    before = next((w for w in others if w != output), "")
    yield from _before_the_mixer(model, settings, ids.get(AERIAL, ""), before)
    behind = list(names)
    amplifiers = max(1, len(strip) - 1)
    noise = settings["noise"]
    controlled = 1.0 / (1 + amplifiers)
    yield Link(ids.get(OSCILLATING, ""), {"kind": "oscillator", **settings.get("oscillator", {})})
    for index, stage_id in enumerate(strip or ["", ""]):
        own = behind.pop(0) if behind else ""
        common = {"controlled": controlled, "fed_through": f"{own}-p" if own else ""}
        if index == 0:
            data = {"kind": "mixer", "gain": settings["gain"]["mixer"], "noise_ohm": _noise_ohm(model, "mixer_ohm", noise)}
        else:
            gain = settings["gain"]["if_amplifier"] ** (1.0 / amplifiers)
            data = {"kind": "amplifier", "gain": gain, "noise_ohm": _noise_ohm(model, "if_ohm", noise)}
        yield Link(stage_id, {**data, **common})
        if own:
            yield _tuned(model, stage_id, own, settings)
    for name in behind:  # what is left over lies behind the last
        yield _tuned(model, strip[-1] if strip else "", name, settings)
    yield Link(ids.get(DETECTING, ""), {"kind": "envelope", "efficiency": settings["audio"]["detector_efficiency"]})
    yield Link(ids.get(SOUNDING, ""), {"kind": "audio", "gain": settings["audio"]["gain"], "fed_through": output})


def _before_the_mixer(model: Model, settings: Mapping[str, Any], aerial: str, fed_through: str) -> Iterator[Link]:
    trap = settings.get("trap")
    adjuster = next((a for a in model.adjusters if a.kind == "trap"), None)
    if trap is not None and adjuster is not None:
        yield Link(aerial, {"kind": "trap", "adjuster": adjuster.id, **trap})
    yield Link(
        aerial,
        {
            "kind": "band tanks",
            "tank": "signal_tank",
            "source_ohm": AERIAL_OHM,
            "bands": settings.get("front_end", {}),
            "fed_through": fed_through,
            "if_leak": trap["breakthrough"] if trap is not None and adjuster is not None else 0.0,
        },
    )


def _tuned(model: Model, stage_id: str, name: str, settings: Mapping[str, Any]) -> Link:
    """The two windings of a transformer, or the only one of a can."""
    if len(_ends(model)[name]) > 1:
        return _pair(stage_id, name, settings)
    adjuster = next(a.id for a in model.adjusters if a.transformer == name)
    return Link(stage_id, {**typical_winding(model.if_hz), "kind": "can", "adjuster": adjuster})


def _pair(stage_id: str, name: str, settings: Mapping[str, Any]) -> Link:
    return Link(stage_id, {"kappa": TYPICAL_KAPPA, **settings.get("transformers", {}).get(name, {}), "kind": "pair", "transformer": name})


def _transformers(model: Model) -> list[str]:
    """Names of transformers with a core in either winding, or in the only one, in the dossier's order."""
    return [name for name, ends in _ends(model).items() if {"primary", "secondary"} <= ends or len(ends) == 1]


def _ends(model: Model) -> dict[str, set[str | None]]:
    windings: dict[str, set[str | None]] = {}
    for adjuster in model.adjusters:
        if adjuster.transformer:
            windings.setdefault(adjuster.transformer, set()).add(adjuster.winding)
    return windings


def _windings(model: Model) -> dict[str, str]:
    """The windings through which a valve is fed, in the order of the circuit, each with the stage that its part belongs to."""
    supply = model.simulation.get("supply", {})
    parts = {p["id"]: p for p in model.raw.get("parts", ())}
    anodes = {v["anode"] for v in supply.get("valves", ())}
    fed = [str(p["part"]) for p in supply.get("paths", ()) if parts[p["part"]]["kind"] == "winding" and p["b"] in anodes]
    return {winding: str(parts[winding].get("stage", "")) for winding in fed}


def _strip(model: Model) -> Iterator[Any]:
    """The mixer and what amplifies behind it, as they feed each other."""
    by_id = {s.id: s for s in model.stages}
    stage = next((s for s in model.stages if s.kind == MIXING), None)
    while stage is not None:
        yield stage
        stage = next((by_id[f] for f in stage.feeds if f in by_id and by_id[f].kind == AMPLIFYING), None)


def _noise_ohm(model: Model, name: str, noise: Mapping[str, Any]) -> float:
    """The noise of a stage as a resistance; of a mixer also as older dossiers have it, as volts over the strip's bandwidth."""
    if name == "mixer_ohm" and "grid_v" in noise and name not in noise:
        bandwidth_hz = model.bandwidth_6db_hz or TYPICAL_BANDWIDTH_HZ
        return float(noise["grid_v"]) ** 2 / (4.0 * BOLTZMANN_J_PER_K * REFERENCE_TEMPERATURE_K * bandwidth_hz)
    return float(noise.get(name, EQUIVALENT_OHM[name]))
