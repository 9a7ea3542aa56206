"""Cut the faces that ship: the two text faces as far as the pages use them, and the small "Atkinson Units" faces with the signs they lack.

The text faces keep the weights from 400 to 700; what a page in English uses is one file, and the accented letters, which names may
hold, are another, fetched only by a page that shows one. A developer's tool; its output is committed. Run as ./run assets, which
hands over the folders of the faces. They are under the Open Font Licence without a reserved name, so a subset may be shipped.

Papers have a second face for what people write in other alphabets and for signs: a subset of DejaVu Sans, which its licence allows.
"""

import sys
from pathlib import Path

from fontTools import subset
from fontTools.ttLib import TTFont
from fontTools.varLib import instancer

WEIGHTS = (400, 700)
SIGNS = [0x3BC, 0x3A9, 0x394, 0x3C0, 0x2264, 0x2265, 0x2248, 0x221A, 0x221E, 0x2030]
MICRO, OHM = 0xB5, 0x2126
FACES = {
    400: "400Regular/AtkinsonHyperlegibleNext_400Regular.ttf",
    700: "700Bold/AtkinsonHyperlegibleNext_700Bold.ttf",
}
# The ranges stand in assets/app.css too.
PUNCTUATION = [
    *(0xA0, 0xB0, 0xB1, 0xB2, 0xB3, 0xB7, 0xBD, 0xD7),
    *(0x2009, 0x2011, 0x2013, 0x2014, 0x2018, 0x2019, 0x201C, 0x201D, 0x2026, 0x202F, 0x2212),
]
ENGLISH = [*range(0x20, 0x7F), *PUNCTUATION]
ACCENTED = [c for c in [*range(0xA1, 0x100), 0x152, 0x153] if c not in PUNCTUATION]


# Latin with every accent, Greek, Cyrillic, Hebrew, Arabic, and the signs for arrows, sums, drawing and the like.
ANYBODY = [
    *(*range(0xA0, 0x590), *range(0x590, 0x700), *range(0x1E00, 0x2000), *range(0x2000, 0x20D0)),
    *(*range(0x2100, 0x2400), *range(0x2500, 0x27C0), *range(0x2B00, 0x2B60), *range(0xFE70, 0xFF00), 0xFFFD),
]


def cut_second(source: Path, target: Path) -> None:
    """Write what the second face of papers has, without what only a screen needs."""
    font = TTFont(source)
    options = subset.Options()
    options.layout_features = ["kern", "mark", "mkmk", "ccmp", "init", "medi", "fina", "liga"]
    options.hinting = False
    cutter = subset.Subsetter(options)
    cutter.populate(unicodes=ANYBODY)
    cutter.subset(font)
    font.save(target)


def cut_text(source: Path, target: Path, codes: list[int]) -> None:
    """Write what a text face has for these characters."""
    font = TTFont(source)
    options = subset.Options()
    options.layout_features = ["kern", "tnum", "mark", "ccmp", "zero"]
    options.hinting = False
    cutter = subset.Subsetter(options)
    cutter.populate(unicodes=codes)
    cutter.subset(font)
    font = instancer.instantiateVariableFont(font, {"wght": WEIGHTS})
    font.flavor = "woff2"
    font.save(target)


def cut_units(source: Path, target: Path) -> None:
    """Write the signs of units and relations."""
    font = TTFont(source)
    glyph_of = font.getBestCmap()
    for table in font["cmap"].tables:
        if table.isUnicode():
            # The micro and ohm signs are other code points than the Greek letters they look like.
            table.cmap[MICRO] = glyph_of[0x3BC]
            table.cmap[OHM] = glyph_of[0x3A9]
    options = subset.Options()
    options.flavor = "woff2"
    options.layout_features = ["*"]
    cutter = subset.Subsetter(options)
    cutter.populate(unicodes=[c for c in SIGNS if c in glyph_of] + [MICRO, OHM])
    cutter.subset(font)
    font.flavor = "woff2"
    font.save(target)


if __name__ == "__main__":
    modules, out = Path(sys.argv[1]), Path(sys.argv[2])
    for family in ("next", "mono"):
        name = f"atkinson-hyperlegible-{family}"
        whole = modules / f"@fontsource-variable/{name}/files/{name}-latin-wght-normal.woff2"
        cut_text(whole, out / f"{name}-english.woff2", ENGLISH)
        cut_text(whole, out / f"{name}-accented.woff2", ACCENTED)
    for weight, face in FACES.items():
        cut_units(modules / "@expo-google-fonts/atkinson-hyperlegible-next" / face, out / f"atkinson-units-{weight}.woff2")
    papers = out.parents[2] / "files/fonts"
    cut_second(modules / "dejavu-fonts-ttf/ttf/DejaVuSans.ttf", papers / "second-face.ttf")
    (papers / "second-face-LICENSE.txt").write_text((modules / "dejavu-fonts-ttf/LICENSE").read_text(encoding="utf-8"), encoding="utf-8")
