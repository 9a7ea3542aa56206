"""Every error that Calm Needle raises on purpose.

CalmNeedleError
├── OutOfRange            a number that physics or the set does not allow        (ValueError)
├── NotUnderstood         text that is not the quantity asked for                (ValueError)
├── UnknownName           a calculator or key that does not exist                (LookupError)
├── NoAnswer              a sound question that has no answer                    (ArithmeticError)
├── FileRefused           a dossier or other file, with all its faults           (ValueError)
├── NotFound              a set, job or run that is not in the store             (LookupError)
├── FieldsRefused         a form, with a sentence for each field                 (ValueError)
├── RunMovedOn            an act for a step the run has already left
├── JobMovedOn            something another window has changed meanwhile
├── SentTwice             a form that was sent before, and of which nobody knows yet what came
├── BenchInUse            another run reads on the bench; or this one does not have it
├── StoreUnusable         the data folder cannot be used as it is
└── InstrumentError
    ├── InstrumentGone        no connection, or it was closed                    (ConnectionError)
    │   └── EarsClosed        no page listens at the audio input
    ├── EarsUnsure            what comes in tells no level: silence, or it clips
    ├── InstrumentSilent      connected, but no answer in time                   (TimeoutError)
    ├── InstrumentNonsense    an answer that is not what was asked for           (ValueError)
    ├── InstrumentSurplus     something was sent that nobody asked for           (ValueError)
    └── InstrumentRefused     the instrument's own error queue said no

Each carries its data; the sentence (what happened, what it means, what to do) is made here and nowhere else.
This module imports nothing of ours, so values come in already written out by core.quantities.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass


class CalmNeedleError(Exception):
    """The root: catch this to catch everything that was raised on purpose."""


class OutOfRange(CalmNeedleError, ValueError):
    """A number outside what is possible or sensible."""

    def __init__(self, quantity: str, *, shown: str, wanted: str) -> None:
        self.quantity, self.shown, self.wanted = quantity, shown, wanted
        super().__init__(f"{quantity} is {shown}; it must be {wanted}.")


class NotUnderstood(CalmNeedleError, ValueError):
    """Text that could not be read as the quantity asked for."""

    def __init__(self, text: str, *, why: str, example: str) -> None:
        shown = text if len(text) <= 40 else text[:37] + "…"
        self.text, self.why, self.example = text, why, example
        super().__init__(f"“{shown}” {why}. Write it like {example}.")


class UnknownName(CalmNeedleError, LookupError):
    """A name that is not on the list; the list comes with it."""

    def __init__(self, kind: str, name: str, *, known: Iterable[str]) -> None:
        self.kind, self.name, self.known = kind, name, tuple(known)
        super().__init__(f"There is no {kind} “{name[:40]}”. There are: {', '.join(self.known)}.")


class NoAnswer(CalmNeedleError, ArithmeticError):
    """The question was understood, and nothing answers it."""


@dataclass(frozen=True)
class Fault:
    """One thing wrong with a file: where, and what."""

    path: str
    sentence: str

    def __str__(self) -> str:
        return f"{self.path or 'the file'}: {self.sentence}"


class FileRefused(CalmNeedleError, ValueError):
    """A file that was refused whole; nothing was changed."""

    def __init__(self, name: str, faults: Iterable[Fault]) -> None:
        self.name, self.faults = name, tuple(faults)
        count = "one fault" if len(self.faults) == 1 else f"{len(self.faults)} faults"
        super().__init__(
            f"{name} was not taken in: {count}. Nothing was changed. Mend the file and bring it again.\n"
            + "\n".join(f"  {fault}" for fault in self.faults)
        )


class NotFound(CalmNeedleError, LookupError):
    """A thing asked for by number or key that the store does not hold."""

    def __init__(self, kind: str, key: object) -> None:
        self.kind, self.key = kind, key
        super().__init__(f"There is no {kind} {key} here. It may belong to another data folder; look on the shelf.")


class FieldsRefused(CalmNeedleError, ValueError):
    """What was typed into a form, with a sentence for each field that cannot be taken. meant: for a field that is only asked about, what
    was probably meant, as it would be typed; asks: for one that is taken once it is said that the set was on, how one says so."""

    def __init__(self, faults: Mapping[str, str], *, meant: Mapping[str, str] | None = None, asks: Mapping[str, str] | None = None) -> None:
        self.faults, self.meant, self.asks = dict(faults), dict(meant or {}), dict(asks or {})
        super().__init__(" ".join(self.faults.values()))


class RunMovedOn(CalmNeedleError):
    """An act meant for a step that the run is no longer at."""

    def __init__(self, *, now_at: str) -> None:
        self.now_at = now_at
        super().__init__(
            f"The run has gone on meanwhile: it is at {now_at} now. Nothing was changed; look, and do it again if it still applies."
        )


class SentTwice(CalmNeedleError):
    """What was sent a second time while the first has no answer."""

    def __init__(self) -> None:
        super().__init__(
            "This was sent before, and there is no answer to it: it is still being done, or the program ended over it. "
            "Load the page again and see whether it is there; if it is not, do it again."
        )


class BenchInUse(CalmNeedleError):
    """What wants the instruments, from a run or a job that does not have the bench. holder: who reads there; empty where nobody does."""

    def __init__(self, *, holder: str) -> None:
        self.holder = holder
        super().__init__(
            f"The bench is in use by {holder}: it is read there now. Nothing was set or read here. "
            "Leave that run’s page, or take the bench over on the page of the run that is to have it."
            if holder
            else "This run does not have the bench, so nothing was set or read. See that its set is the one on the bench, and take it."
        )


class JobMovedOn(CalmNeedleError):
    """Something typed on a page that no longer shows how things stand: another window was quicker."""

    def __init__(self, thing: str) -> None:
        self.thing = thing
        super().__init__(
            f"Another window has written to {thing} meanwhile. Nothing was overwritten, and nothing of this was kept: "
            "see what stands there now, then repeat it."
        )


class StoreUnusable(CalmNeedleError):
    """The data folder or its database cannot be used as it is."""


class InstrumentError(CalmNeedleError):
    """Something between us and an instrument; `instrument` is the name shown on the bench."""

    def __init__(self, instrument: str, sentence: str) -> None:
        self.instrument = instrument
        super().__init__(sentence)


class InstrumentGone(InstrumentError, ConnectionError):
    def __init__(self, instrument: str, resource: str) -> None:
        super().__init__(
            instrument, f"The {instrument} at {resource} is not there. Check its power and its cable; it is taken up again by itself."
        )


class EarsClosed(InstrumentGone):
    """No page listens at the audio input."""

    def __init__(self) -> None:
        InstrumentError.__init__(
            self, "ears", "The ears hear nothing: no page listens at the audio input. Open their page, press Listen, and it goes on."
        )


class EarsUnsure(InstrumentError):
    """What comes in tells no level. silent: because no tone is there, and not because it clips or too little was heard."""

    def __init__(self, sentence: str, *, silent: bool = False) -> None:
        self.silent = silent
        super().__init__("ears", sentence)


class InstrumentSilent(InstrumentError, TimeoutError):
    def __init__(self, instrument: str, line: str) -> None:
        super().__init__(
            instrument, f"The {instrument} does not answer “{line}”. It is asked again; if it stays silent, switch it off and on."
        )


class InstrumentNonsense(InstrumentError, ValueError):
    def __init__(self, instrument: str, line: str, answer: str) -> None:
        super().__init__(
            instrument, f"The {instrument} answered “{answer[:40]}” to “{line}”, which is no reading. The reading was not used."
        )


class InstrumentSurplus(InstrumentNonsense):
    """Something lay there before the question was asked: earlier answers may belong to other questions."""

    def __init__(self, instrument: str, lying: str) -> None:
        InstrumentError.__init__(
            self,
            instrument,
            f"The {instrument} sent “{lying[:40]}” unasked, so its answers may have been to other questions. What was read since it was "
            "last in step is struck out; it is asked again. If it happens again, switch it off and on.",
        )


class InstrumentRefused(InstrumentError):
    """It would not do what it was told. line, reply: command and entry of its error queue, for a log; why: what that means, in a clause."""

    def __init__(self, instrument: str, line: str, reply: str, *, why: str) -> None:
        self.line, self.reply = line, reply
        super().__init__(instrument, f"The {instrument} refused: {why}. Its setting is unchanged.")
