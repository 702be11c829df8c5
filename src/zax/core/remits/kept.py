"""An answer and the lines it was about, as they are kept with what became of it: plain JSON, read again to
the same values. So a grid opens filled in, the next plan learns what was decided, and a rule can be tried on
answers of the past.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import date
from typing import Any

from zax.core.money.journal import Parts
from zax.core.remits.line import ExpectedLine
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine


def as_kept(answer: RemitClaim) -> dict[str, Any]:
    """Days as ISO text."""
    kept = asdict(answer)
    for line in kept["lines"]:
        line["day"] = line["day"].isoformat() if line["day"] else None
    return kept


def answer_of(kept: Mapping[str, Any]) -> RemitClaim:
    """What `as_kept` wrote."""
    values = dict(kept)
    values["lines"] = [_line(each) for each in kept["lines"]]
    values["adjustments"] = [Adjustment(**each) for each in kept["adjustments"]]
    return RemitClaim(**values)


def _line(kept: Mapping[str, Any]) -> RemitLine:
    values = dict(kept)
    values["day"] = date.fromisoformat(kept["day"]) if kept["day"] else None
    values["modifiers"] = tuple(kept["modifiers"])
    values["adjustments"] = [Adjustment(**each) for each in kept["adjustments"]]
    return RemitLine(**values)


def lines_as_kept(expected: Sequence[ExpectedLine]) -> list[dict[str, Any]]:
    return [asdict(each) for each in expected]


def lines_of(kept: Sequence[Mapping[str, Any]]) -> list[ExpectedLine]:
    """What `lines_as_kept` wrote."""
    return [ExpectedLine(**{**each, "open": Parts(**each["open"])}) for each in kept]
