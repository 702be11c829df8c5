"""The storm of `make torture`, a short one; and that its judge sees what it is there to see."""

from __future__ import annotations

import random
from datetime import date, timedelta
from pathlib import Path

import pytest
from sqlalchemy import text

from tests.conftest import JUNO, TODAY, add_patient, free_port, order
from tests.desk.paying import pay
from zax.demo.torture import storm as storms
from zax.demo.torture.clinic import PORTS, Clinic
from zax.demo.torture.crowd import FOR_EACH, ask_all, wishes
from zax.demo.torture.desks import Done, Told
from zax.demo.torture.faults import BLOWS
from zax.demo.torture.ground import MINUTES, Slot
from zax.demo.torture.judge import overlaps, there, undecided
from zax.demo.torture.storm import storm
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.money.payments import Item

SHORT = tuple(each for each in BLOWS if each.name in {"database killed", "web killed", "clock jumps an hour"})


@pytest.mark.slow
def test_a_clinic_whose_parts_die_keeps_every_word_it_gave(tmp_path: Path) -> None:
    clinic = Clinic(tmp_path / "var", {name: free_port() for name in PORTS})
    account = storm(clinic, SHORT, desks=2, seed=7)
    assert account.faults == []
    assert set(account.blows) == {each.name for each in SHORT}
    assert account.done.total() >= len(SHORT) and account.looks == len(SHORT)


def test_a_calm_in_which_no_one_works_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(storms, "GIVE_UP_SECONDS", 0.0)
    told = Told(done=[Done("paid", "storm-0-1", cents=100)])
    storms.until_at_work(told, seen=0)
    assert told.wrong == []
    storms.until_at_work(told, seen=1)
    assert told.wrong == ["no desk got anything done in 0 s of calm"]


def test_many_who_want_the_same_times_at_once_get_each_once(desk: Desk) -> None:
    people = [add_patient(desk, last=f"Crowd {n}") for n in range(20)]
    day = TODAY + timedelta(days=7)
    slots = [Slot(5, day, start) for start in range(480, 720, MINUTES)]
    told = ask_all(desk, wishes(slots, people, random.Random(3)), threads=8)
    assert told == {"booked": len(slots), "gone": len(slots) * (FOR_EACH - 1)}
    with desk.engine.connect() as connection:
        rows = connection.execute(text("SELECT start_min FROM visit WHERE day = :day"), {"day": day})
        assert sorted(row.start_min for row in rows) == [each.start for each in slots]


def test_the_judge_sees_what_was_told_and_is_not_there(desk: Desk) -> None:
    patient = add_patient(desk)
    visit = book_visit(desk, JUNO, order(patient, key="storm-0-1"))
    pay(desk, patient, [Item(None, None, 1_200)], ("cash", "12"), key="storm-0-2")
    slot = Slot(5, date(2026, 11, 24), 840)
    with desk.engine.begin() as connection:
        row = connection.execute(
            text("SELECT provider_id, day, start_min FROM visit WHERE id = :id"), {"id": visit}
        ).one()
        there_is = Slot(row.provider_id, row.day, row.start_min)

        def said(done: Done) -> list[str]:
            return list(there(connection, [done]))

        assert said(Done("booked", "storm-0-1", patient, there_is)) == []
        assert said(Done("paid", "storm-0-2", patient, cents=1_200)) == []
        assert said(Done("booked", "storm-0-1", patient, Slot(6, slot.day, slot.start)))
        assert said(Done("booked", "storm-9-9", patient, there_is))
        assert said(Done("paid", "storm-0-2", patient, cents=1_201))
        assert said(Done("paid", "storm-9-9", patient, cents=1_200))
        assert said(Done("posted", str(visit)))
        assert list(overlaps(connection)) == [] and list(undecided(connection, desk.clock.now())) == []
