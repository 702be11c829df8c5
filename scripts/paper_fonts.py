"""Makes the fonts of papers from the screen's variable font: fixed weights as TTF, which a PDF takes in many
times faster.
"""

from __future__ import annotations

import sys
from pathlib import Path

from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

VENDOR = Path(__file__).parents[1] / "src" / "zax" / "web" / "shell" / "static" / "vendor"
WEIGHTS = (420, 680)


def make(part: str) -> None:
    for weight in WEIGHTS:
        font = TTFont(VENDOR / f"atkinson-hyperlegible-next-{part}-wght-normal.woff2", recalcTimestamp=False)
        fixed = instantiateVariableFont(font, {"wght": weight})
        fixed.flavor = None
        fixed.save(VENDOR / f"paper-{part}-{weight}.ttf")


if __name__ == "__main__":
    for name in sys.argv[1:] or ("latin", "latin-ext"):
        make(name)
