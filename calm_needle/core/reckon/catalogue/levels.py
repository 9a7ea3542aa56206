"""Levels and coupling: how much, through what, and what reaches the set."""

from collections.abc import Mapping
from typing import Any

from calm_needle.core.physics import levels
from calm_needle.core.pictures import Picture, Place, Scale, Switches
from calm_needle.core.reckon.calculator import Calculator, Key, Result

Values = Mapping[str, Any]
R_OHM = Key("r_ohm", "Ω", "Source resistance", "50", sensible=(0.1, 1e5))


def _gain(*, from_v: float, to_v: float) -> dict[str, float]:
    return {"gain_db": levels.gain_db(from_v=from_v, to_v=to_v)}


def _gain_picture(inputs: Values, results: Values) -> Picture:
    places = [Place(inputs["from_v"], "from"), Place(inputs["to_v"], "to", "wanted")]
    return Scale("From and to, decades evenly spaced", "V", places, log=True)


def _level_picture(inputs: Values, results: Values) -> Picture:
    places = [
        Place(results["emf_v"], "e.m.f."),
        Place(results["pd_v"], "across the load", "wanted"),
        Place(1e-6, "1 µV", "limit", named=True),
    ]
    return Scale("Open and loaded", "V", places, log=True)


def _pads_picture(inputs: Values, results: Values) -> Picture:
    return Switches("Throw these", inputs["pads_db"], results["thrown_db"], results["total_db"], results["remainder_db"])


def _true_picture(inputs: Values, results: Values) -> Picture:
    places = [
        Place(inputs["dial_v"] * inputs["multiplier"], "generator"),
        Place(results["level_v"], "at the set", "wanted"),
        Place(inputs["wanted_v"], "wanted", "limit"),
        Place(inputs["knee_v"], "gain control sets in", "danger"),
    ]
    return Scale("What reaches the set", "V", places, log=True)


CALCULATORS = (
    Calculator(
        "level",
        "One level, five ways",
        "levels and coupling",
        "one level as e.m.f., terminated volts, dBm and dBµV",
        (
            Key("emf_v", "V", "E.m.f.", "", optional=True, sensible=(1e-9, 300.0)),
            Key("pd_v", "V", "Volts across a matched load", "", optional=True, sensible=(1e-9, 300.0)),
            Key("dbm", "dBm", "Power in a matched load", "-73", optional=True),
            Key("dbuv_emf", "dBµV", "E.m.f. in dBµV", "", optional=True),
            Key("dbuv_pd", "dBµV", "Loaded volts in dBµV", "", optional=True),
            R_OHM,
        ),
        levels.level,
        (
            Result("emf_v", "E.m.f.", "V"),
            Result("pd_v", "Across a matched load", "V"),
            Result("dbm", "Power there", "dBm", signed=True),
            Result("dbuv_emf", "E.m.f.", "dBµV", signed=True),
            Result("dbuv_pd", "Across the load", "dBµV", signed=True),
        ),
        "{emf_v} e.m.f. is {pd_v} across a matched load of {r_ohm}, {dbm}.",
        (
            "p.d. = e.m.f. / 2 = {pd_v}",
            "P = p.d.² / R = {pd_v}² / {r_ohm} = {dbm}",
            "dBµV = 20 log(V / 1 µV): {dbuv_emf} open, {dbuv_pd} loaded",
        ),
        (
            "Into a matched load of r_ohm: p.d. is half the e.m.f., dBm is the power in that load.",
            "An open or high-impedance input sees the e.m.f.",
        ),
        _level_picture,
    ),
    Calculator(
        "attenuator",
        "Which pads to throw",
        "levels and coupling",
        "which pads to throw for a wanted loss",
        (
            Key("pads_db", "dB", "Pads there are", "3; 6; 12; 20", kind="list", low=1e-6, high=200.0),
            Key("loss_db", "dB", "Loss wanted", "19", low=0.0, high=1000.0),
        ),
        levels.throw_pads,
        (
            Result("thrown_db", "Thrown", "dB"),
            Result("total_db", "Together", "dB"),
            Result("remainder_db", "Left for the generator", "dB"),
        ),
        "Throw {thrown_db}: {total_db} together, {remainder_db} left for the generator.",
        ("largest sum of {pads_db} not above {loss_db}, with the fewest pads = {total_db}", "{loss_db} − {total_db} = {remainder_db}"),
        (
            "The largest sum not above the wanted loss, with the fewest pads; the remainder is for the generator.",
            "True only if the attenuator ends in its own resistance.",
        ),
        _pads_picture,
    ),
    Calculator(
        "true-level",
        "What reaches the set",
        "levels and coupling",
        "the level at the set from dial, multiplier and pads thrown",
        (
            Key("dial_v", "V", "Generator dial (loaded volts)", "100 mV", sensible=(1e-7, 30.0)),
            Key("multiplier", "", "Multiplier", "0.1", low=1e-9, high=1e6),
            Key("pads_db", "dB", "Pads thrown", "20; 12", kind="list", low=0.0, high=200.0),
            R_OHM,
            Key("wanted_v", "V", "Level wanted at the set", "100 µV", sensible=(1e-8, 3.0)),
            Key("knee_v", "V", "Gain control sets in at", "1 mV", sensible=(1e-7, 3.0)),
        ),
        levels.true_level,
        (
            Result("level_v", "At the set", "V"),
            Result("total_db", "Attenuation", "dB"),
            Result("dbm", "Power there", "dBm", signed=True),
            Result("shortfall_db", "Above the level wanted (minus: below it)", "dB", signed=True),
            Result("verdict", "Against the gain control"),
        ),
        "{level_v} reaches the set, {shortfall_db} from the {wanted_v} wanted (plus: turn it down, minus: up). It is {verdict}.",
        ("{dial_v} × {multiplier} × 10^(−{total_db} / 20) = {level_v}", "20 log({level_v} / {wanted_v}) = {shortfall_db}"),
        (
            "Pads in steps add up in decibels only when each ends in its own resistance.",
            "Leakage past the attenuator is not counted; below a microvolt it often decides.",
        ),
        _true_picture,
    ),
    Calculator(
        "gain",
        "Decibels between two readings",
        "levels and coupling",
        "decibels from one voltage to another",
        (Key("from_v", "V", "From", "88 mV", sensible=(1e-9, 3e3)), Key("to_v", "V", "To", "151 mV", sensible=(1e-9, 3e3))),
        _gain,
        (Result("gain_db", "Change", "dB", signed=True),),
        "From {from_v} to {to_v} is {gain_db}.",
        ("20 log({to_v} / {from_v}) = {gain_db}",),
        ("20 log10(to / from); a gain only if both stand across the same load and the level was not changed between.",),
        _gain_picture,
    ),
)
