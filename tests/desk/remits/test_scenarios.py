"""The worked cases of insurer payments, through the real import on MariaDB: nothing is ever done by itself
that a case forbids, every line ends as the case says or as one of its other good answers, and the journal
adds up.
"""

from __future__ import annotations

import pytest

from tests.desk.paying import agrees
from tests.desk.remits.scenarios import SCENARIOS, breaches, faults, run
from zax.clock import ShiftedClock
from zax.desk.acts.transaction import Desk

# What a payer takes back or corrects goes to a person whole; nothing of it is posted by itself yet.
TAKEN_BACK = {"P33", "P34", "P39", "P48"}


@pytest.mark.parametrize("name", SCENARIOS)
def test_every_line_ends_as_the_case_says(setup: Desk, clock: ShiftedClock, name: str) -> None:
    case = SCENARIOS[name]
    ended = run(setup, clock, case)
    assert breaches(case, ended) == []
    wrong = faults(case, ended)
    assert bool(wrong) == (name in TAKEN_BACK), (wrong, ended.said)
    if name in TAKEN_BACK:
        assert not any(end.touched for (key, _), end in ended.lines.items() if key == "A")
        assert "review" in " ".join(ended.said)
    assert agrees(setup)
