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


@pytest.mark.parametrize("name", SCENARIOS)
def test_every_line_ends_as_the_case_says(setup: Desk, clock: ShiftedClock, name: str) -> None:
    case = SCENARIOS[name]
    ended = run(setup, clock, case)
    assert breaches(case, ended) == []
    assert faults(case, ended) == [], ended.said
    assert agrees(setup)
