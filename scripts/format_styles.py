"""Formats the style sheets: a rule over several lines, each declaration on its own. `--check` only says which
would change.

The work is cssbeautifier's; what lies in a vendor folder is left as it came.
"""

from __future__ import annotations

import sys
from pathlib import Path

import cssbeautifier

ROOT = Path(__file__).parents[1] / "src" / "zax"


def formatted(text: str) -> str:
    options = cssbeautifier.default_options()
    options.indent_size = 2
    options.end_with_newline = True
    options.max_preserve_newlines = 2
    options.selector_separator_newline = False
    options.newline_between_rules = False
    return str(cssbeautifier.beautify(text, options))


def main() -> int:
    checking, wrong = "--check" in sys.argv, 0
    for path in sorted(ROOT.glob("web/*/static/*.css")):
        before = path.read_text(encoding="utf-8")
        after = formatted(before)
        if after == before:
            continue
        wrong += 1
        print(f"{'would format' if checking else 'formatted'} {path.relative_to(ROOT.parents[1])}")
        if not checking:
            path.write_text(after, encoding="utf-8")
    return 1 if checking and wrong else 0


if __name__ == "__main__":
    sys.exit(main())
