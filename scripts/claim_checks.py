"""Writes docs/claim-checks.md from the registered checks; `--check` only says whether it is true."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path

from zax.core.claims.check import SUBJECTS
from zax.core.claims.checks.registry import CHECKS

DOC = Path(__file__).parents[1] / "docs" / "claim-checks.md"
_HEAD = """# Checks of claims

Every claim is asked all of these before it leaves, in this order. A *stop* would be rejected and holds the
claim back; what *looks odd* may go with a reason, which is kept. P is professional (837P, 005010X222A1), D
dental (837D, 005010X224A2), I institutional (837I, 005010X223A2). This page is made from the code by
`scripts/claim_checks.py`.
"""


def written() -> str:
    return "\n".join(_lines())


def _lines() -> Iterator[str]:
    yield _HEAD
    yield f"There are {len(CHECKS)} of them."
    for subject, module in SUBJECTS.items():
        yield f"\n## {subject}\n"
        yield "| check | strength | forms | rule | source |\n|---|---|---|---|---|"
        for each in CHECKS:
            if each.look.__module__ == module.__name__:
                forms = "".join(form for form in "PDI" if form in {f.value for f in each.forms})
                yield f"| `{each.id}` | {each.strength.value} | {forms} | {each.rule} | {each.source} |"
    yield ""


if __name__ == "__main__":
    if "--check" in sys.argv:
        sys.exit(0 if DOC.read_text(encoding="utf-8") == written() else "docs/claim-checks.md is not true")
    DOC.write_text(written(), encoding="utf-8")
