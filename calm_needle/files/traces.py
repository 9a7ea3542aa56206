"""Swept responses in and out: CSV (frequency, value) and Touchstone v1 (.s1p, .s2p)."""

import csv
import io
import math
import re
import tempfile
import warnings
from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path
from typing import NamedTuple

from calm_needle.core.quantities import PREFIXES
from calm_needle.errors import Fault, FileRefused

LARGEST_BYTES = 4_000_000
FEWEST, MOST = 3, 20_001
HERTZ = re.compile(r"(?<![A-Za-z])([kKMG]?)Hz(?![A-Za-z])", re.IGNORECASE)
VOLTS = re.compile(r"(?<![A-Za-zB])([munµμ]?)V(?![A-Za-z])")


class Trace(NamedTuple):
    """A response: frequencies (Hz, rising) and levels (dB, any reference)."""

    frequencies_hz: list[float]
    levels_db: list[float]


def read_trace(content: bytes, *, name: str) -> Trace:
    """Return the response in a file, by its ending: .s1p and .s2p are Touchstone, anything else CSV. Raises FileRefused with all faults."""
    if len(content) > LARGEST_BYTES:
        raise FileRefused(name, [Fault("", f"it is {len(content)} bytes long; a trace has at most {LARGEST_BYTES}")])
    trace = _read_touchstone(content, name) if re.search(r"\.s[12]p$", name, re.IGNORECASE) else _read_csv(content, name)
    rows = sorted(zip(*trace, strict=True))
    faults = []
    if not FEWEST <= len(rows) <= MOST:
        faults.append(Fault("", f"it holds {len(rows)} points; a response has {FEWEST} to {MOST}"))
    if any(a[0] == b[0] for a, b in pairwise(rows)):
        faults.append(Fault("", "a frequency stands there twice"))
    if faults:
        raise FileRefused(name, faults)
    return Trace([f for f, _ in rows], [v for _, v in rows])


def write_csv(trace: Trace) -> str:
    """Return a response as CSV (RFC 4180): a header with units, Hz and dB."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["frequency (Hz)", "level (dB)"])
    writer.writerows([repr(f), repr(v)] for f, v in zip(*trace, strict=True))
    return out.getvalue()


def write_touchstone(trace: Trace, *, ports: int = 2) -> str:
    """Return a response as Touchstone v1: S11 of a .s1p, or S21 of a .s2p with the other three at nothing; decibels and 0 degrees."""
    import numpy as np
    from skrf import Frequency, Network  # slow to load

    f, ratio = np.array(trace.frequencies_hz), 10.0 ** (np.array(trace.levels_db) / 20.0)
    s = np.zeros((len(f), ports, ports), dtype=complex)
    s[:, ports - 1, 0] = ratio
    with tempfile.TemporaryDirectory() as folder, warnings.catch_warnings():
        warnings.simplefilter("ignore")
        network = Network(frequency=Frequency.from_f(f, unit="Hz"), s=s, z0=50)
        network.write_touchstone(filename="trace", dir=folder, form="db")
        return Path(folder, f"trace.s{ports}p").read_text(encoding="ascii")


def _read_touchstone(content: bytes, name: str) -> Trace:
    import numpy as np
    from skrf import Network  # slow to load

    with tempfile.TemporaryDirectory() as folder, warnings.catch_warnings():
        warnings.simplefilter("ignore")
        file = Path(folder, "trace" + name[-4:].lower())
        file.write_bytes(content)
        try:
            with file.open(encoding="utf-8") as lines:  # opened here: the library leaves it open when it gives up
                network = Network(lines)
            s = np.abs(network.s[:, network.nports - 1, 0])
        except Exception as fault:  # the library raises whatever the text leads it to
            said = (str(fault).splitlines() or ["unreadable"])[0][:80]
            raise FileRefused(name, [Fault("", f"it is not Touchstone v1 ({said})")]) from None
    f = np.asarray(network.f, dtype=float)
    if not len(f) or not bool(np.isfinite(s).all()) or not bool((f > 0).all()):
        raise FileRefused(name, [Fault("", "it holds no frequencies above zero, or values that are no numbers")])
    return Trace(f.tolist(), (20.0 * np.log10(np.maximum(s, 1e-15))).tolist())


def _read_csv(content: bytes, name: str) -> Trace:
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as fault:
        raise FileRefused(name, [Fault("", f"it is not UTF-8 text (byte {fault.start})")]) from None
    lines = [line for line in text.splitlines() if line.strip() and not line.lstrip().startswith(("#", "!"))]
    if not lines:
        raise FileRefused(name, [Fault("", "it is empty")])
    mark = ";" if ";" in lines[0] or (";" in lines[-1]) else "\t" if "\t" in lines[-1] else ","
    rows = list(csv.reader(lines, delimiter=mark))
    head, scale, in_volts = rows[0], 1.0, False
    if not _is_number(head[0]):
        scale, in_volts, faults = _units(head)
        if faults:
            raise FileRefused(name, faults)
        rows = rows[1:]
    trace, faults = Trace([], []), []
    for i, row in enumerate(rows):
        where = f"row {i + 1}"
        if len(row) < 2 or not _is_number(row[0]) or not _is_number(row[1]):
            faults.append(Fault(where, f"“{mark.join(row)[:40]}” is not a frequency and a value"))
            continue
        f, value = _number(row[0]) * scale, _number(row[1])
        if not (f > 0 and math.isfinite(f) and math.isfinite(value)) or (in_volts and value <= 0):
            faults.append(Fault(where, f"“{mark.join(row)[:40]}” cannot be: frequencies{' and volts' if in_volts else ''} are above zero"))
            continue
        trace.frequencies_hz.append(f)
        trace.levels_db.append(20.0 * math.log10(value) if in_volts else value)
    if faults:
        raise FileRefused(name, faults[:50])
    return trace


def _units(head: Sequence[str]) -> tuple[float, bool, list[Fault]]:
    """What the header says: a factor to hertz, and whether the values are volts."""
    hertz = HERTZ.search(head[0])
    if len(head) < 2 or not hertz:
        said = f"“{', '.join(head)[:60]}” names no unit of frequency. Write it like: frequency (kHz); level (dB)"
        return 1.0, False, [Fault("header", said)]
    prefix = hertz[1] if hertz[1] not in ("m", "g") else hertz[1].upper()
    scale = 10.0 ** PREFIXES[prefix] if prefix else 1.0
    if "dB" in head[1] or "db" in head[1]:
        return scale, False, []
    if VOLTS.search(head[1]):
        return scale, True, []  # a prefix of volts only moves all decibels alike
    return scale, False, [Fault("header", f"“{head[1][:40]}” names neither dB nor volts. Write it like: frequency (kHz); level (dB)")]


def _is_number(text: str) -> bool:
    try:
        _number(text)
    except ValueError:
        return False
    return True


def _number(text: str) -> float:
    return float(text.strip().replace("\u2212", "-").replace(",", "."))
