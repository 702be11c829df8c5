"""Lists that grow, over HTTP: whatever came first is still within reach, a page at a time."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import timedelta

import pytest
from sqlalchemy import Connection, insert

from tests.conftest import TODAY, add_patient
from tests.web.conftest import Browser
from zax.desk.acts.transaction import Desk
from zax.store import schema
from zax.store.listing import PAGE

MANY = PAGE + 7


def runs(connection: Connection, desk: Desk, patient: int) -> str:
    rows = [
        {"rule": {}, "day": TODAY, "state": "done", "total": n, "made_at": desk.clock.now(), "by_id": 1}
        for n in range(MANY)
    ]
    connection.execute(insert(schema.metadata.tables["statement_run"]), rows)
    return "/statements"


def imports(connection: Connection, desk: Desk, patient: int) -> str:
    rows = [
        {"name": f"file-{n}.csv", "digest": f"{n:064x}", "columns": {}, "at": desk.clock.now(), "by_id": 1}
        for n in range(MANY)
    ]
    connection.execute(insert(schema.metadata.tables["import_job"]), rows)
    return "/import"


def questions(connection: Connection, desk: Desk, patient: int) -> str:
    rows = [
        {
            "run_key": f"k{n}",
            "first_day": TODAY,
            "at": desk.clock.now() + timedelta(minutes=n),
            "last_day": TODAY,
            "total": 1000 + n,
        }
        for n in range(MANY)
    ]
    connection.execute(insert(schema.metadata.tables["eligibility_batch"]), rows)
    return "/eligibility"


def changes(connection: Connection, desk: Desk, patient: int) -> str:
    rows = [
        {
            "at": desk.clock.now(),
            "by_id": 1,
            "act": "patient.changed",
            "patient_id": patient,
            "detail": {"changed": {"city": ["", f"Town {n:03d}"]}},
        }
        for n in range(MANY)
    ]
    connection.execute(insert(schema.audit), rows)
    return f"/patients/{patient}/changes"


def visits(connection: Connection, desk: Desk, patient: int) -> str:
    rows = [
        {
            "site_id": 1,
            "patient_id": patient,
            "provider_id": 5,
            "room_id": 5,
            "type_id": 9,
            "day": TODAY - timedelta(days=n),
            "start_min": 600,
            "minutes": 30,
            "state": "settled",
            "made_at": desk.clock.now(),
            "made_by": 1,
        }
        for n in range(MANY)
    ]
    connection.execute(insert(schema.visit), rows)
    return f"/patients/{patient}/visits"


SHOWS = {
    runs: r"/statements/runs/(\d+)",
    imports: r"file-(\d+)\.csv",
    questions: r"of (10\d\d) responded|of (10\d\d)</td>",
    changes: r"Town (\d\d\d)",
    visits: r"/visits/(\d+)",
}


@pytest.mark.parametrize("write", SHOWS)
def test_every_row_is_within_reach(
    sam: Browser, desk: Desk, write: Callable[[Connection, Desk, int], str]
) -> None:
    patient = add_patient(desk)
    with desk.engine.begin() as connection:
        path = write(connection, desk, patient)
    first, second = sam.get(path).text, sam.get(f"{path}?page=2").text
    on = [{"".join(found) for found in re.findall(SHOWS[write], page)} for page in (first, second)]
    assert len(on[0]) == PAGE and len(on[1]) == 7 and not on[0] & on[1]
    assert "Page 1 of 2" in first and 'rel="next"' in first and "page=2" in first
    assert "Page 2 of 2" in second and 'rel="prev"' in second and 'rel="next"' not in second
    for nonsense in ("0", "-1", "99", "x", "1e9"):
        assert sam.get(f"{path}?page={nonsense}&order=none&find=%25").status_code == 200
