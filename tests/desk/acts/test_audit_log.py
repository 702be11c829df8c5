"""Nobody changes who did what unseen: not a row, not one put in or taken out, not the seals themselves."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import Engine, text

from tests.conftest import JUNO, add_patient, order, scalar
from zax.clock import ShiftedClock
from zax.core.acts.chain import START, digest_of
from zax.desk.acts import audit_log
from zax.desk.acts.audit_log import FILE, STANDS_FOR, check_audit, seal_audit
from zax.desk.acts.transaction import Desk
from zax.desk.book.booking import book_visit
from zax.desk.people.sign_in import note_looks
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.store.files import FileStore

Rows = list[list[object]]


@given(
    st.lists(st.lists(st.one_of(st.none(), st.integers(), st.text()), min_size=1, max_size=4), max_size=6),
    st.data(),
)
def test_any_change_of_any_row_changes_the_sum(rows: Rows, data: st.DataObject) -> None:
    numbered: Rows = [[number, *row] for number, row in enumerate(rows, 1)]
    whole = digest_of(START, numbered)
    assert whole[1] == len(rows) and digest_of(START, numbered) == whole
    if not rows:
        return
    at = data.draw(st.integers(0, len(rows) - 1))
    without = numbered[:at] + numbered[at + 1 :]
    other = numbered[:at] + [[*numbered[at][:-1], "something else entirely"]] + numbered[at + 1 :]
    sums = {digest_of(START, each)[0] for each in (numbered, without)}
    assert len(sums) == 2
    if other != numbered:
        assert digest_of(START, other)[0] != whole[0]
    assert digest_of("1" * 64, numbered)[0] != whole[0]


@pytest.fixture
def sealed(desk: Desk, clock: ShiftedClock, tmp_path: Path) -> Iterator[Desk]:
    """Some acts and looks, old enough and sealed."""
    patient = add_patient(desk)
    for start in ("14:00", "15:00", "16:00"):
        book_visit(desk, JUNO, order(patient, start=start))
    note_looks(desk.engine, desk.clock.now(), 1, [patient], "record")
    assert seal_audit(desk, tmp_path) == 0  # too young
    clock.set_to(clock.now() + STANDS_FOR + timedelta(seconds=1))
    assert seal_audit(desk, tmp_path) == 2
    return desk


def changed(engine: Engine, statement: str) -> None:
    with engine.begin() as connection:
        connection.execute(text(statement))


def test_untouched_it_is_as_it_was(sealed: Desk, engine: Engine, tmp_path: Path) -> None:
    found = check_audit(engine, tmp_path)
    assert found.faults == [] and found.rows >= 4 and found.young == 0
    assert seal_audit(sealed, tmp_path) == 0  # nothing new
    note_looks(sealed.engine, sealed.clock.now(), 1, [1], "record")
    assert check_audit(engine, tmp_path).young > 0


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE audit SET by_id = 2 WHERE id = (SELECT MIN(id) FROM audit)",
        "UPDATE audit SET detail = '{}' ORDER BY id LIMIT 1",
        "UPDATE audit SET at = at + INTERVAL 1 SECOND ORDER BY id LIMIT 1",
        "DELETE FROM audit ORDER BY id LIMIT 1",
        "DELETE FROM look",
        "UPDATE look SET screen = 'day'",
        "UPDATE audit_seal SET digest = REPEAT('a', 64) ORDER BY id DESC LIMIT 1",
        "DELETE FROM audit_seal",
    ],
)
def test_the_owner_of_the_database_is_found_out(
    sealed: Desk, engine: Engine, tmp_path: Path, statement: str
) -> None:
    changed(engine, statement)
    assert check_audit(engine, tmp_path).faults


def test_a_row_put_among_sealed_ones_is_found(sealed: Desk, engine: Engine, tmp_path: Path) -> None:
    first = scalar(sealed, "SELECT MIN(id) FROM audit")
    changed(engine, f"DELETE FROM audit WHERE id = {first}")
    changed(engine, f"INSERT INTO audit (id, at, act, detail) VALUES ({first}, '2026-01-01', 'x', '{{}}')")
    assert check_audit(engine, tmp_path).faults


def test_whoever_rewrites_all_seals_is_found_by_the_file(
    sealed: Desk, engine: Engine, tmp_path: Path
) -> None:
    """Kills: a chain that is whole again because all of it was made anew."""
    changed(engine, "DELETE FROM audit ORDER BY id LIMIT 1")
    changed(engine, "DELETE FROM audit_seal")
    elsewhere = tmp_path / "elsewhere"
    assert seal_audit(sealed, elsewhere) == 2 and check_audit(engine, elsewhere).faults == []
    (fault,) = check_audit(engine, tmp_path).faults
    assert "gone from the database" in fault
    assert (tmp_path / "log" / FILE).stat().st_mode & 0o777 == 0o600


def test_rows_that_may_still_get_one_before_them_wait(
    desk: Desk, clock: ShiftedClock, tmp_path: Path
) -> None:
    book_visit(desk, JUNO, order(add_patient(desk)))
    old = clock.now()
    clock.set_to(old + STANDS_FOR - timedelta(seconds=5))
    book_visit(desk, JUNO, order(add_patient(desk, first="Una"), start="15:00"))
    clock.set_to(old + STANDS_FOR + timedelta(seconds=5))
    assert seal_audit(desk, tmp_path) == 1
    left = scalar(desk, "SELECT COUNT(*) FROM audit WHERE id > (SELECT MAX(last_id) FROM audit_seal)")
    assert left > 0


def test_the_worker_seals_by_the_clock(
    desk: Desk, clock: ShiftedClock, outside: Outside, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(audit_log, "MOST_ROWS", 1)
    book_visit(desk, JUNO, order(add_patient(desk)))
    clock.set_to(clock.now() + timedelta(hours=1))
    for _ in range(2):
        run_once(desk, outside, lambda *_: b"", FileStore(tmp_path))
    assert scalar(desk, "SELECT COUNT(*) FROM audit_seal WHERE name = 'audit'") == 1  # five minutes a stretch
    clock.set_to(clock.now() + timedelta(minutes=6))
    run_once(desk, outside, lambda *_: b"", FileStore(tmp_path))
    assert scalar(desk, "SELECT COUNT(*) FROM audit_seal WHERE name = 'audit'") == 2
