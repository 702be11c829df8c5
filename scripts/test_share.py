"""Prints how much of all code the tests are, and fails outside 20 to 40 percent.

Counted: non-blank lines of tests/**/*.py against those plus src .py, .html, .js and .css without vendored
files.
"""

from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]
LEAST, MOST = 20.0, 40.0


def lines(paths: list[Path]) -> int:
    return sum(bool(line.strip()) for path in paths for line in path.read_text(encoding="utf-8").splitlines())


def main() -> int:
    tests = lines(list((ROOT / "tests").rglob("*.py")))
    kinds = ("*.py", "*.html", "*.js", "*.css")
    source = [path for kind in kinds for path in (ROOT / "src").rglob(kind) if "vendor" not in path.parts]
    code = lines(source)
    share = 100 * tests / (tests + code)
    print(
        f"tests {tests} lines, product {code} lines: tests are {share:.1f} percent (wanted {LEAST:.0f} to"
        f" {MOST:.0f})"
    )
    return 0 if LEAST <= share <= MOST else 1


if __name__ == "__main__":
    sys.exit(main())
