"""Whoever works at some sites acts there alone; the worker and everyone else act everywhere."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tests.conftest import JUNO, add_patient, order, scalar, visit_at_checkout
from zax.core.errors import NotAllowed
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.book.track import confirm
from zax.desk.day.checkout import finish_checkout

ELSEWHERE = replace(JUNO, site_ids=frozenset({2}))


def test_another_sites_book_is_closed_to_them(desk: Desk) -> None:
    patient = add_patient(desk)
    with pytest.raises(NotAllowed, match="You work at Hillcrest. Ask someone at Quay Street"):
        book_visit(desk, ELSEWHERE, order(patient))
    visit = book_visit(desk, JUNO, order(patient))
    with pytest.raises(NotAllowed, match="Hillcrest"):
        confirm(desk, ELSEWHERE, visit)
    assert scalar(desk, "SELECT state FROM visit WHERE id = :v", v=visit) == "booked"
    confirm(desk, replace(JUNO, site_ids=frozenset({1, 2})), visit)


def test_and_so_is_its_drawer(desk: Desk) -> None:
    visit = visit_at_checkout(desk, add_patient(desk))
    before = scalar(desk, "SELECT COUNT(*) FROM journal")
    with pytest.raises(NotAllowed, match="Ask someone at Quay Street"):
        finish_checkout(desk, ELSEWHERE, visit)
    assert scalar(desk, "SELECT COUNT(*) FROM journal") == before
    finish_checkout(desk, JUNO, visit)
