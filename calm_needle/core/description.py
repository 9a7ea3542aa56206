"""An instrument described instead of programmed: what to send it, how the number is found in what it answers, what that number means.

A description is data: text to send, and words between which a number is looked for. Nothing in it is a program or a pattern, so one that
somebody gives can do no more than send lines and read numbers. As a file it is JSON, format calm-needle/instrument, version 1.
"""

import json
import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

from calm_needle.core.doubled import first_doubled
from calm_needle.errors import Fault, FileRefused, OutOfRange

FORMAT, VERSION = "calm-needle/instrument", 1
LARGEST_BYTES, DEEPEST = 20_000, 5
LONGEST_LINE, LONGEST_WORD, LONGEST_NAME = 80, 20, 60
MOST_NUMBERS, MOST_UNITS = 9, 8
VALUE = "{value}"
ENDS: dict[str, str] = {"LF": "\n", "CR": "\r", "CR LF": "\r\n"}
PARITIES = ("none", "odd", "even")
BAUDS = (300, 600, 1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200)
LONGEST_EVERY_S = 10.0
MOST_MOVED = 0.01  # of a value, by which the decimals that are sent may move it
DBM_OHM = 50.0  # across which a milliwatt is meant
NUMBER = {
    ".": re.compile(r"[+-]?\s?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?"),
    ",": re.compile(r"[+-]?\s?(?:\d+(?:,\d*)?|,\d+)(?:[eE][+-]?\d+)?"),
}


class Quantity(NamedTuple):
    """What an instrument of a kind can be asked for or told: its name in a file, words, unit, and the question or header in SCPI for which
    it stands in. needed: without it the instrument is none of its kind. ends: the least and the greatest value that it is told (unit).
    """

    name: str
    words: str
    unit: str
    scpi: str
    needed: bool = True
    ends: tuple[float, float] = (0.0, 0.0)


# Of each kind that can be described: what it reads and what it is told.
READS: dict[str, tuple[Quantity, ...]] = {
    "ac-millivoltmeter": (Quantity("alternating_volts", "alternating volts", "V", "MEAS:VOLT:AC?"),),
    "multimeter": (
        Quantity("direct_volts", "direct volts", "V", "MEAS:VOLT:DC?"),
        Quantity("alternating_volts", "alternating volts", "V", "MEAS:VOLT:AC?", needed=False),
        Quantity("ohms", "ohms", "Ω", "MEAS:RES?", needed=False),
        Quantity("alternating_amperes", "alternating amperes", "A", "MEAS:CURR:AC?", needed=False),
    ),
    "counter": (Quantity("frequency", "frequency", "Hz", "MEAS:FREQ?"),),
    "lcr-meter": (
        Quantity("inductance", "inductance", "H", "MEAS:IND?"),
        Quantity("capacitance", "capacitance", "F", "MEAS:CAP?", needed=False),
    ),
    "generator": (
        Quantity("frequency", "its own frequency", "Hz", "FREQ?", needed=False),
        Quantity("level", "its own level", "V", "VOLT?", needed=False),
    ),
}
SETS: dict[str, tuple[Quantity, ...]] = {
    "generator": (
        Quantity("frequency", "frequency", "Hz", "FREQ", ends=(100e3, 30e6)),
        Quantity("level", "level", "V", "VOLT", ends=(1e-6, 0.1)),
        Quantity("am_depth", "depth of amplitude modulation", "%", "AM:DEPT", needed=False, ends=(10.0, 80.0)),
        Quantity("fm_deviation", "deviation of frequency modulation", "Hz", "FM:DEV", needed=False, ends=(1e3, 75e3)),
        Quantity("tone", "tone of the modulation", "Hz", "AM:INT:FREQ", needed=False, ends=(400.0, 1000.0)),
    ),
}
# Switches that are told without a number.
SWITCHES: dict[str, tuple[Quantity, ...]] = {
    "generator": (
        Quantity("output_on", "output on", "", "OUTP ON", needed=False),
        Quantity("output_off", "output off", "", "OUTP OFF", needed=False),
        Quantity("am_on", "amplitude modulation on", "", "AM:STAT ON", needed=False),
        Quantity("am_off", "amplitude modulation off", "", "AM:STAT OFF", needed=False),
        Quantity("fm_on", "frequency modulation on", "", "FM:STAT ON", needed=False),
        Quantity("fm_off", "frequency modulation off", "", "FM:STAT OFF", needed=False),
    ),
}


@dataclass(frozen=True)
class Read:
    """send: the line that asks, empty for an instrument that sends by itself. The number is the which-th between `after` and `before`, its
    decimal mark given; times factor, or times what stands for the unit behind it in `units`. over: what it says beyond its range."""

    send: str
    after: str = ""
    before: str = ""
    which: int = 1
    decimal: Literal[".", ","] = "."
    factor: float = 1.0
    over: str = ""
    units: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Set:
    """send: the line that tells, with {value} where the number stands: the value times factor, or volts as dBm, with so many decimals."""

    send: str
    factor: float = 1.0
    decimals: int = 3
    scale: Literal["linear", "dBm"] = "linear"

    def line(self, value: float) -> str:
        """Return the line that tells a value (SI; volts across 50 ohms where the scale is dBm).

        Raises OutOfRange for one that its decimals would move by more than MOST_MOVED, and for 0 V or less in dBm.
        """
        if self.scale == "dBm":
            if value <= 0.0:
                raise OutOfRange("A level that is told in dBm", shown=f"{value:g} V", wanted="above 0 V: switch its output off instead")
            number = 10.0 * math.log10(value * value / DBM_OHM / 1e-3)
        else:
            number = value * self.factor
        text = f"{number:.{self.decimals}f}"
        told = math.sqrt(10.0 ** (float(text) / 10.0) * 1e-3 * DBM_OHM) if self.scale == "dBm" else float(text) / self.factor
        if abs(told - value) > MOST_MOVED * abs(value):
            off = f"“{text}” for {value:g}, {100.0 * abs(told / value - 1.0):.0f} % off"
            raise OutOfRange("What would be sent", shown=off, wanted="within 1 %: give it more decimals, or another factor")
        return self.send.replace(VALUE, text)


@dataclass(frozen=True)
class Line:
    """How lines end that go out and come in; of a serial line its speed and frame; how long to wait between two questions (s)."""

    ends: str = "LF"
    answers_end: str = "LF"
    baud: int = 9600
    data_bits: int = 8
    parity: Literal["none", "odd", "even"] = "none"
    stop_bits: int = 1
    every_s: float = 0.0


@dataclass(frozen=True)
class Description:
    """A whole instrument: what it is called, its kind, its line, what it reads, what it is told with a number and without."""

    name: str
    kind: str
    line: Line
    reads: Mapping[str, Read]
    sets: Mapping[str, Set]
    switches: Mapping[str, str]


class Found(NamedTuple):
    """A number in an answer: what it means (SI), and where it stands in the text."""

    value: float
    begin: int
    end: int


def number_in(answer: str, read: Read) -> Found | None:
    """Return the number that a description finds in an answer, or None where there is none."""
    begin, end = 0, len(answer)
    if read.over and read.over in answer:
        at = answer.find(read.over)
        return Found(math.inf, at, at + len(read.over))
    if read.after:
        at = answer.find(read.after)
        if at < 0:
            return None
        begin = at + len(read.after)
    if read.before:
        at = answer.find(read.before, begin)
        if at < 0:
            return None
        end = at
    numbers = list(NUMBER[read.decimal].finditer(answer[:end], begin))
    if len(numbers) < read.which:
        return None
    found = numbers[read.which - 1]
    value = float(found[0].replace(" ", "").replace(",", "."))
    behind = answer[found.end() :].lstrip()
    # The longest unit that fits: mV and not m.
    fitting = sorted((u for u in read.units if behind.startswith(u)), key=len)
    if read.units and not fitting:
        return None
    return Found(value * (read.units[fitting[-1]] if fitting else read.factor), found.start(), found.end())


def write_description(description: Description) -> bytes:
    """Return a description as the bytes of its file; the same one gives the same bytes."""
    return (json.dumps(as_data(description), indent=1, ensure_ascii=False) + "\n").encode()


def as_data(description: Description) -> dict[str, Any]:
    """Return a description as what its file holds."""
    return {
        "format": FORMAT,
        "version": VERSION,
        "name": description.name,
        "kind": description.kind,
        "line": vars(description.line),
        "reads": {n: {**vars(r), "units": dict(r.units)} for n, r in description.reads.items()},
        "sets": {n: vars(s) for n, s in description.sets.items()},
        "switches": dict(description.switches),
    }


def parse_description(content: bytes, *, name: str) -> Description:
    """Return the description in a file. Raises FileRefused with every fault; nothing of it is used then."""
    if len(content) > LARGEST_BYTES:
        raise FileRefused(name, [Fault("", f"it is {len(content)} bytes long; a description has at most {LARGEST_BYTES}")])
    try:
        data = json.loads(content.decode("utf-8-sig"), object_pairs_hook=_no_doubles, parse_constant=_no_constant)
    except (UnicodeDecodeError, ValueError, RecursionError) as fault:
        raise FileRefused(name, [Fault("", f"it is no JSON text of a description ({str(fault)[:80]})")]) from None
    return read_description(data, name=name)


def read_description(data: Any, *, name: str) -> Description:
    """Return the description that data holds. Raises FileRefused with every fault."""
    look = _Look()
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise FileRefused(name, [Fault("format", f"it is no description of an instrument: its format is not {FORMAT}")])
    version = data.get("version")
    if type(version) is not int or version < 1:
        raise FileRefused(name, [Fault("version", "its version is no number")])
    if version > VERSION:
        raise FileRefused(name, [Fault("version", f"it was written by a newer Calm Needle (version {version}; this one reads {VERSION})")])
    look.only(data, "", ("format", "version", "name", "kind", "line", "reads", "sets", "switches"))
    called = look.text(data, "name", "", longest=LONGEST_NAME, least=1)
    kind = data.get("kind")
    if not isinstance(kind, str) or kind not in READS:
        raise FileRefused(name, [*look.faults, Fault("kind", f"it is one of {', '.join(READS)}")])
    line = _line(look, data.get("line", {}))
    reads = {q.name: _read(look, part, f"reads.{q.name}") for q, part in look.parts(data, "reads", READS[kind]) if isinstance(part, dict)}
    sets = {
        q.name: _set(look, part, f"sets.{q.name}") for q, part in look.parts(data, "sets", SETS.get(kind, ())) if isinstance(part, dict)
    }
    told = {q.name: part for q, part in look.parts(data, "switches", SWITCHES.get(kind, ()), plain=True)}
    switches = {n: look.text(told, n, "switches", longest=LONGEST_LINE, least=1) for n in told}
    if look.faults:
        raise FileRefused(name, look.faults)
    return Description(called, kind, line, reads, sets, switches)


def _line(look: "_Look", data: Any) -> Line:
    if not isinstance(data, dict):
        look.fault("line", "it is an object")
        return Line()
    look.only(data, "line", tuple(vars(Line())))
    usual = Line()
    return Line(
        look.one_of(data, "ends", "line", tuple(ENDS), usual.ends),
        look.one_of(data, "answers_end", "line", tuple(ENDS), usual.answers_end),
        look.one_of(data, "baud", "line", BAUDS, usual.baud),
        look.one_of(data, "data_bits", "line", (7, 8), usual.data_bits),
        look.one_of(data, "parity", "line", PARITIES, usual.parity),
        look.one_of(data, "stop_bits", "line", (1, 2), usual.stop_bits),
        look.number(data, "every_s", "line", usual.every_s, low=0.0, high=LONGEST_EVERY_S),
    )


def _read(look: "_Look", data: dict[str, Any], where: str) -> Read:
    look.only(data, where, ("send", "after", "before", "which", "decimal", "factor", "over", "units"))
    units = data.get("units", {})
    if not isinstance(units, dict) or len(units) > MOST_UNITS:
        look.fault(f"{where}.units", f"it names at most {MOST_UNITS} units, each with what it is worth")
        units = {}
    for unit in units:
        if not 0 < len(unit) <= LONGEST_WORD or not unit.isprintable():
            look.fault(f"{where}.units", f"a unit has one to {LONGEST_WORD} letters")
    return Read(
        look.text(data, "send", where, longest=LONGEST_LINE),
        look.text(data, "after", where, longest=LONGEST_WORD),
        look.text(data, "before", where, longest=LONGEST_WORD),
        int(look.number(data, "which", where, 1, low=1, high=MOST_NUMBERS, whole=True)),
        look.one_of(data, "decimal", where, (".", ","), "."),
        look.number(data, "factor", where, 1.0, low=-1e15, high=1e15, not_nothing=True),
        look.text(data, "over", where, longest=LONGEST_WORD),
        {unit: look.number(units, unit, f"{where}.units", 1.0, low=-1e15, high=1e15, not_nothing=True) for unit in units},
    )


def _set(look: "_Look", data: dict[str, Any], where: str) -> Set:
    look.only(data, where, ("send", "factor", "decimals", "scale"))
    send = look.text(data, "send", where, longest=LONGEST_LINE, least=1)
    if send and send.count(VALUE) != 1:
        look.fault(f"{where}.send", f"it holds {VALUE} once, where the number stands")
    return Set(
        send,
        look.number(data, "factor", where, 1.0, low=-1e15, high=1e15, not_nothing=True),
        int(look.number(data, "decimals", where, 3, low=0, high=9, whole=True)),
        look.one_of(data, "scale", where, ("linear", "dBm"), "linear"),
    )


class _Look:
    """Looks at data that somebody gave, and gathers what is wrong with it."""

    def __init__(self) -> None:
        self.faults: list[Fault] = []

    def fault(self, where: str, sentence: str) -> None:
        self.faults.append(Fault(where, sentence))

    def only(self, data: Mapping[str, Any], where: str, names: tuple[str, ...]) -> None:
        for name in data:
            if name not in names:
                self.fault(f"{where}.{name[:40]}".lstrip("."), "nothing of that name belongs here")

    def text(self, data: Mapping[str, Any], name: str, where: str, *, longest: int, least: int = 0) -> str:
        value, at = data.get(name, ""), f"{where}.{name}".lstrip(".")
        if not isinstance(value, str) or not least <= len(value) <= longest:
            self.fault(at, f"it is text of {least} to {longest} letters")
            return ""
        if not value.isprintable() or not (value.isascii() or name == "name"):
            self.fault(at, "only letters, digits and signs that a wire carries are sent: printable ASCII")
            return ""
        return value

    def number(
        self,
        data: Mapping[str, Any],
        name: str,
        where: str,
        usual: float,
        *,
        low: float,
        high: float,
        whole: bool = False,
        not_nothing: bool = False,
    ) -> float:
        value, at = data.get(name, usual), f"{where}.{name}".lstrip(".")
        if isinstance(value, bool) or not isinstance(value, (int, float) if not whole else int) or not low <= value <= high:
            self.fault(at, f"it is a {'whole ' if whole else ''}number between {low:g} and {high:g}")
            return usual
        if not_nothing and abs(value) < 1e-15:
            self.fault(at, "times nothing every number would be nothing")
            return usual
        return float(value)

    def one_of(self, data: Mapping[str, Any], name: str, where: str, choices: tuple[Any, ...], usual: Any) -> Any:
        value = data.get(name, usual)
        if isinstance(value, bool) or not isinstance(value, (int, str)) or value not in choices:
            self.fault(f"{where}.{name}", f"it is one of {', '.join(map(str, choices))}")
            return usual
        return value

    def parts(self, data: Mapping[str, Any], name: str, wanted: tuple[Quantity, ...], *, plain: bool = False) -> list[tuple[Quantity, Any]]:
        """What a part of the file says of each quantity; what is needed and is not there is a fault, and so is what nobody knows."""
        part = data.get(name, {})
        if not isinstance(part, dict):
            self.fault(name, "it is an object")
            return []
        self.only(part, name, tuple(q.name for q in wanted))
        for quantity in wanted:
            if quantity.needed and quantity.name not in part:
                self.fault(f"{name}.{quantity.name}", f"without {quantity.words} it is of no use")
            elif quantity.name in part and not plain and not isinstance(part[quantity.name], dict):
                self.fault(f"{name}.{quantity.name}", "it is an object")
        return [(q, part[q.name]) for q in wanted if q.name in part]


def _no_doubles(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    if (twice := first_doubled(n for n, _ in pairs)) is not None:
        raise ValueError(f"“{twice[:40]}” stands in it twice")
    return dict(pairs)


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is no number")
