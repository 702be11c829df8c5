"""Prints how much of all code the tests are, and fails outside 20 to 40 percent.

Counted: the characters of tests/**/*.py against those plus src .py, .html, .js and .css without vendored
files; white space is left out, so that how a formatter breaks lines changes nothing.
"""

from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]
LEAST, MOST = 20.0, 40.0


def characters(paths: list[Path]) -> int:
    return sum(len("".join(path.read_text(encoding="utf-8").split())) for path in paths)


def main() -> int:
    tests = characters(list((ROOT / "tests").rglob("*.py")))
    kinds = ("*.py", "*.html", "*.js", "*.css")
    source = [path for kind in kinds for path in (ROOT / "src").rglob(kind) if "vendor" not in path.parts]
    code = characters(source)
    share = 100 * tests / (tests + code)
    print(
        f"tests {tests:,} characters, product {code:,}: tests are {share:.1f} percent (wanted {LEAST:.0f} to"
        f" {MOST:.0f})"
    )
    return 0 if LEAST <= share <= MOST else 1


if __name__ == "__main__":
    sys.exit(main())
