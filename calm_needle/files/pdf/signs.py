"""Which signs paper can show: the text face first, a second face for other alphabets and signs, a visible stand-in for the rest."""

import unicodedata
from functools import cache
from importlib import resources

FOLDER = resources.files("calm_needle.files").joinpath("fonts")
FACES = {"": "AtkinsonHyperlegibleNext_400Regular.ttf", "B": "AtkinsonHyperlegibleNext_700Bold.ttf"}
SECOND = "second-face.ttf"
STAND_IN = "\u25af"  # an upright empty box, which the second face has
STAND_IN_OF_FIRST = "?"  # where one face has to do, as in a picture
# Signs that the face has under another number, or not at all.
INSTEAD = {
    "\u00b5": "\u03bc",
    "\u2126": "\u03a9",
    "\u2009": "\u00a0",
    "\u202f": "\u00a0",
    "\u2010": "-",
    "\u2011": "-",
    "\t": " ",
    "\u2028": " ",
    "\u2029": " ",
}
UNSEEN = ("Cc", "Cf")  # categories of signs that have no width: controls, joiners, marks of direction


def plain(text: str, *, second: bool = True) -> str:
    """Return text with the signs that paper has. second: whether the second face may be used too."""
    if text.isascii() and text.isprintable():
        return text
    has, otherwise = (_both(), STAND_IN) if second else (_first(), STAND_IN_OF_FIRST)
    out = []
    for c in text:
        c = INSTEAD.get(c, c)
        if ord(c) in has or c == "\n":
            out.append(c)
        elif unicodedata.category(c) not in UNSEEN:
            out.append(otherwise)
    return "".join(out)


def lacking(text: str) -> bool:
    """Whether a text holds a sign for which a stand-in is printed."""
    return not text.isascii() and STAND_IN in plain(text) and STAND_IN not in text


@cache
def _first() -> frozenset[int]:
    return _signs(FACES[""]) & _signs(FACES["B"])


@cache
def _both() -> frozenset[int]:
    return _first() | _signs(SECOND)


def _signs(name: str) -> frozenset[int]:
    from fontTools.ttLib import TTFont  # type: ignore[import-untyped]  # slow to load

    with resources.as_file(FOLDER.joinpath(name)) as file, TTFont(file, lazy=True) as font:
        return frozenset(font.getBestCmap())
