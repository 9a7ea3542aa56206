"""The workshop's way of working where good practice differs: what is asked, what may be chosen, what each costs. One table.

Only what the program keeps to stands here; a run keeps the style that it was begun with.
"""

from collections.abc import Mapping
from typing import NamedTuple


class Choice(NamedTuple):
    """One answer: its id, how it is called, and what it costs."""

    id: str
    label: str
    costs: str


class Question(NamedTuple):
    """What is asked; the first choice is what the program does where nobody has said."""

    id: str
    title: str
    choices: tuple[Choice, ...]


QUESTIONS: tuple[Question, ...] = (
    Question(
        "within",
        "A dial that is within its tolerance",
        (
            Choice("leave", "leave it alone", "Small errors stay; nothing that was peaked is put in doubt."),
            Choice("touch-up", "touch it up", "Every adjuster is turned once more, and the front end of the band is peaked again."),
        ),
    ),
    Question(
        "aim",
        "Where the oscillator is set to",
        (
            Choice("least-worst", "least worst error over the whole dial", "No mark is quite right, none far off."),
            Choice("book", "the papers’ points", "Right at two marks; between and beyond them it errs more."),
            Choice(
                "exact",
                "exact where the owner listens",
                "Right there, and worse elsewhere. Asked for on each band; without an answer, least worst.",
            ),
        ),
    ),
    Question(
        "peaks",
        "Where the front end is peaked",
        (
            Choice("peak", "the papers’ frequencies", "Even over the band."),
            Choice(
                "own", "where the owner listens", "Most there, and less elsewhere. Asked for on each band; without an answer, the papers’."
            ),
        ),
    ),
    Question(
        "means",
        "How it is found where a set receives",
        (
            Choice("", "as the bench can", "A counter where there are instruments, else the generator by hand."),
            Choice("generator", "the generator, by hand", "To some hundred hertz; what is read is typed."),
            Choice(
                "carrier",
                "broadcast carriers",
                "Needs no instrument; to as well as a pointer is read, and only where two or more carriers are known.",
            ),
        ),
    ),
)
Style = Mapping[str, str]


def usual_style() -> dict[str, str]:
    """Return the style where nobody has said anything."""
    return {q.id: q.choices[0].id for q in QUESTIONS}


def chosen(style: Style) -> list[tuple[Question, Choice]]:
    """Return what is chosen for each question; what is not known any more counts as not said."""
    return [(q, next((c for c in q.choices if c.id == style.get(q.id)), q.choices[0])) for q in QUESTIONS]


def in_words(style: Style) -> str:
    """Return a style as a record says it."""
    return "; ".join(f"{q.title[0].lower()}{q.title[1:]}: {c.label}" for q, c in chosen(style))
