"""Cut the two small "Atkinson Units" faces: the signs the Latin subsets of the text faces lack (micro, ohm, delta and kin).

A developer's tool; its output is committed. Run as ./run assets, which hands over the folder of the full TTFs.
The faces are under the Open Font Licence without a reserved name, so a subset may be shipped.
"""

import sys
from pathlib import Path

from fontTools import subset
from fontTools.ttLib import TTFont

SIGNS = [0x3BC, 0x3A9, 0x394, 0x3C0, 0x2264, 0x2265, 0x2248, 0x221A, 0x221E, 0x2030]
MICRO, OHM = 0xB5, 0x2126
FACES = {
    400: "400Regular/AtkinsonHyperlegibleNext_400Regular.ttf",
    700: "700Bold/AtkinsonHyperlegibleNext_700Bold.ttf",
}


def cut(source: Path, target: Path) -> None:
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
    full_faces, out = Path(sys.argv[1]), Path(sys.argv[2])
    for weight, name in FACES.items():
        cut(full_faces / name, out / f"atkinson-units-{weight}.woff2")
