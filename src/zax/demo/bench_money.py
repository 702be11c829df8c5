"""What `make bench` needs about money: households of 500 entries, the account's floor, a run of 1,000
statements, a recount of everything.
"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, text

from zax.core.money.statement import Rule
from zax.core.people.roles import MANAGER
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.money.ledger_audit import recount
from zax.desk.money.statements import carry_on, preview, start_run
from zax.store.files import FileStore
from zax.web.money.documents import statement_pdfs

SAM = Actor(4, "Sam Quill", MANAGER, "SQ")
HOUSEHOLDS, ENTRIES, STATEMENTS = 20, 500, 1_000
# What the account page reads, as an optimist would: the household's journal with its lines, allocations,
# visits and claims.
ACCOUNT = (
    (
        "SELECT j.*, u.name FROM patient p STRAIGHT_JOIN journal j ON j.patient_id = p.id LEFT JOIN user u ON"
        " u.id = j.by_id WHERE p.household_id = %s ORDER BY j.id"
    ),
    (
        "SELECT a.credit_id, a.line_id, a.cents FROM patient p STRAIGHT_JOIN allocation a ON a.patient_id ="
        " p.id WHERE p.household_id = %s"
    ),
    (
        "SELECT l.* FROM patient p STRAIGHT_JOIN visit v ON v.patient_id = p.id STRAIGHT_JOIN charge_line l"
        " ON l.visit_id = v.id WHERE p.household_id = %s"
    ),
    (
        "SELECT v.id, v.day, v.state, v.type_id, v.provider_id FROM patient p STRAIGHT_JOIN visit v ON"
        " v.patient_id = p.id WHERE p.household_id = %s"
    ),
    "SELECT c.* FROM patient p STRAIGHT_JOIN claim c ON c.patient_id = p.id WHERE p.household_id = %s",
)


def prepare(engine: Engine) -> None:
    """Some households grow until their accounts have 500 entries; again changes nothing."""
    busy = text(
        "SELECT patient_id, COUNT(*) AS number FROM journal WHERE patient_id > 2000 GROUP BY patient_id"
        " HAVING number > 40 ORDER BY number DESC LIMIT 600"
    )
    with engine.begin() as connection:
        if len(accounts(engine)) >= HOUSEHOLDS:
            return
        home, filled, done = 0, 0, 0
        for row in connection.execute(busy).all():
            if not home:
                home = connection.execute(
                    text("SELECT household_id FROM patient WHERE id = :id"), {"id": row.patient_id}
                ).scalar_one()
            connection.execute(
                text("UPDATE patient SET household_id = :home WHERE id = :id"),
                {"home": home, "id": row.patient_id},
            )
            filled += row.number
            if filled >= ENTRIES:
                home, filled, done = 0, 0, done + 1
            if done == HOUSEHOLDS:
                return


def accounts(engine: Engine) -> Sequence[Any]:
    """(patient_id, household_id, entries) of the households with 500 entries or a little more."""
    query = text(
        "SELECT MIN(p.id) AS patient_id, p.household_id, COUNT(*) AS number FROM journal j JOIN patient p ON"
        " p.id = j.patient_id GROUP BY p.household_id HAVING number BETWEEN :least AND :most ORDER BY"
        " p.household_id LIMIT 40"
    )
    with engine.connect() as connection:
        return connection.execute(query, {"least": ENTRIES, "most": ENTRIES + 150}).all()


def statements_seconds(desk: Desk, number: int = STATEMENTS) -> dict[str, float]:
    """Seconds to look at whom a rule picks, to make `number` statements in this one process, and until the
    first progress shows.
    """
    rule = Rule(minimum=500, days=0)
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE statement_run SET state = 'stopped' WHERE state = 'waiting'"))
    began = time.monotonic()
    with desk.engine.connect() as connection:
        picked = sum(not each.why_not for each in preview(connection, rule, desk.clock.now().date()))
    looked = time.monotonic() - began
    run_id = start_run(desk, SAM, rule)
    with desk.engine.begin() as connection:
        keep = text(
            "DELETE FROM statement WHERE run_id = :run AND id NOT IN (SELECT id FROM (SELECT id FROM"
            " statement WHERE run_id = :run ORDER BY id LIMIT :number) AS kept)"
        )
        connection.execute(keep, {"run": run_id, "number": number})
    began, shown = time.monotonic(), list[float]()
    with tempfile.TemporaryDirectory() as folder:
        finished = carry_on(
            desk,
            FileStore(Path(folder)),
            statement_pdfs,
            run_id,
            3_600,
            lambda: shown.append(time.monotonic() - began),
        )
    assert finished
    return {
        "picked": picked,
        "preview_s": round(looked, 2),
        "statements": min(number, picked),
        "first_s": round(shown[0], 2),
        "run_s": round(time.monotonic() - began, 1),
    }


def recount_seconds(engine: Engine) -> dict[str, float]:
    """Seconds of `zax audit money` on everything."""
    began = time.monotonic()
    found = recount(engine)
    return {
        "entries": found.entries,
        "payments": found.payments,
        "faults": len(found.faults),
        "recount_s": round(time.monotonic() - began, 1),
    }
