"""Holds what the desks were told against what is there, from outside, as the owner of the database.

After every blow: the money of everybody on whom the desks work adds up, and what was told since the last
look is there, once. At the end, with the outbox empty: all of it again, every ledger of the clinic, no two
visits at one time, and at the stand-in nothing that went out twice, nothing that did not go.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime

import httpx
from sqlalchemy import Connection, Engine, bindparam, text

from zax.core.json import Json
from zax.core.money.tender import OPEN_STATES
from zax.demo.seed import demo_clock
from zax.demo.torture.desks import Done
from zax.desk.money.ledger_audit import recount, recount_some

STORM = "storm-"
# A payer of the demo never answers, so asking it never ends.
STAYS = "eligibility"
_CLAIM = re.compile(r"~\s*CLM\*([^*]+)\*")
# Where a visit whose charges were posted may stand.
AFTER_POSTING = frozenset({"checkout", "left", "settled"})


@dataclass(slots=True)
class Judge:
    """`faults` are in words; empty is what is wanted. `people` are those on whom the desks work."""

    engine: Engine
    people: tuple[int, int]
    faults: list[str] = field(default_factory=list)
    looks: int = 0

    def look(self, done: Sequence[Done]) -> None:
        """After a blow: `done` is what was told since the last look."""
        self.looks += 1
        self.faults += recount_some(self.engine, *self.people).faults
        with self.engine.connect() as connection:
            self.faults += there(connection, done)

    def end(self, done: Sequence[Done], standin_url: str) -> None:
        """when nothing is under way anymore."""
        self.faults += recount(self.engine).faults
        with self.engine.connect() as connection:
            self.faults += there(connection, done)
            self.faults += overlaps(connection)
            self.faults += undecided(connection, demo_clock(self.engine).now())
            self.faults += cards_agree(connection, standin_url)
            self.faults += mail_agrees(connection, done, standin_url)
            self.faults += told_once(standin_url)


def there(connection: Connection, done: Sequence[Done]) -> Iterator[str]:
    """Each that was told is there, as it was told."""
    for each in done:
        yield from _THERE[each.kind](connection, each)


def _booked(connection: Connection, done: Done) -> Iterator[str]:
    rows = connection.execute(
        text("SELECT patient_id, provider_id, day, start_min FROM visit WHERE request_key = :key"),
        {"key": done.key},
    ).all()
    assert done.slot is not None
    wanted = (done.patient_id, done.slot.provider_id, done.slot.day, done.slot.start)
    if [tuple(row) for row in rows] != [wanted]:
        yield f"booking {done.key}: {wanted} was told, {rows} is there"


def _paid(connection: Connection, done: Done) -> Iterator[str]:
    """One payment of the amount. A card's may still be asked after; `undecided` sees to it at the end."""
    rows = connection.execute(
        text(
            "SELECT p.asked_cents, p.state FROM payment p JOIN receipt r ON r.id = p.receipt_id WHERE"
            " r.request_key = :key AND r.patient_id = :patient"
        ),
        {"key": done.key, "patient": done.patient_id},
    ).all()
    if [row.asked_cents for row in rows] != [done.cents]:
        yield f"payment {done.key}: {done.cents} was told, {rows} is there"


def _posted(connection: Connection, done: Done) -> Iterator[str]:
    row = connection.execute(
        text(
            "SELECT v.state, COUNT(j.id) AS entries, SUM(j.patient_cents + j.insurer_cents) AS cents FROM"
            " visit v LEFT JOIN journal j ON j.visit_id = v.id AND j.kind = 'charge' WHERE v.id = :id GROUP"
            " BY v.id, v.state"
        ),
        {"id": int(done.key)},
    ).one()
    if row.state not in AFTER_POSTING or row.entries != 1:
        yield f"visit {done.key}: posted was told; it stands as {row.state} with {row.entries} charges"


def _imported(connection: Connection, done: Done) -> Iterator[str]:
    """Each claim of the file was paid by it, once."""
    rows = connection.execute(
        text(
            "SELECT c.number, COUNT(a.id) AS answers, c.paid_cents FROM claim c LEFT JOIN remit_claim a ON"
            " a.claim_id = c.id WHERE c.number IN :numbers GROUP BY c.id, c.number, c.paid_cents"
        ).bindparams(bindparam("numbers", expanding=True)),
        {"numbers": done.claims},
    )
    wrong = [tuple(row) for row in rows if row.answers != 1 or row.paid_cents <= 0]
    if wrong:
        yield f"file {done.key}: imported was told; claim, answers, paid: {wrong}"


_THERE: dict[str, Callable[[Connection, Done], Iterator[str]]] = {
    "booked": _booked,
    "paid": _paid,
    "posted": _posted,
    "imported": _imported,
}


def overlaps(connection: Connection) -> Iterator[str]:
    """Two visits of the desks' that one provider has at one time."""
    rows = connection.execute(
        text(
            "SELECT a.id, b.id FROM visit a JOIN visit b ON b.provider_id = a.provider_id AND b.day = a.day"
            " AND b.id > a.id AND b.start_min < a.start_min + a.minutes AND a.start_min < b.start_min +"
            " b.minutes WHERE a.request_key LIKE 'storm-%' AND b.request_key LIKE 'storm-%' AND a.minutes > 0"
            " AND b.minutes > 0 AND a.state <> 'off' AND b.state <> 'off'"
        )
    )
    yield from (f"visits {a} and {b} are at one time" for a, b in rows)


def undecided(connection: Connection, now: datetime) -> Iterator[str]:
    """Payments of which nobody knows, and errands that are due and were not carried out."""
    rows = connection.execute(
        text("SELECT id, state FROM payment WHERE state IN :open").bindparams(
            bindparam("open", expanding=True)
        ),
        {"open": OPEN_STATES},
    )
    yield from (f"payment {row.id} stands as {row.state}" for row in rows)
    left = connection.execute(
        text(
            "SELECT kind, state, COUNT(*) AS many FROM outbox WHERE state = 'aside' OR state = 'waiting' AND"
            " due_at < :now AND kind <> :stays GROUP BY kind, state"
        ),
        {"now": now, "stays": STAYS},
    )
    yield from (f"{row.many} errands of {row.kind} stand as {row.state}" for row in left)


def cards_agree(connection: Connection, standin_url: str) -> Iterator[str]:
    """What the terminal took is what is in the books, payment by payment."""
    sales = {
        each["key"]: each["cents"]
        for each in _kept(standin_url, "sales")
        if each["state"] == "approved" and each["key"].startswith(STORM)
    }
    rows = connection.execute(
        text(
            "SELECT request_key, cents FROM payment WHERE tender = 'card' AND state = 'taken' AND request_key"
            " LIKE 'storm-%'"
        )
    )
    books = {row.request_key: row.cents for row in rows}
    for key in sorted(sales.keys() | books.keys()):
        if sales.get(key) != books.get(key):
            yield f"card payment {key}: the terminal took {sales.get(key)}, the books have {books.get(key)}"


def mail_agrees(connection: Connection, done: Sequence[Done], standin_url: str) -> Iterator[str]:
    """Each receipt that was to be mailed was, once; one whose card was declined in the end was not."""
    rows = connection.execute(
        text(
            "SELECT r.request_key, r.id, MAX(p.state = 'taken') AS taken FROM receipt r JOIN payment p ON"
            " p.receipt_id = r.id WHERE r.request_key LIKE 'storm-%' GROUP BY r.id, r.request_key"
        )
    )
    receipts = {row.request_key: row for row in rows}
    mails = Counter(str(each["id"]).partition("@")[0].lstrip("<") for each in _kept(standin_url, "mail"))
    for each in done:
        if each.mailed:
            row = receipts[each.key]
            found = mails[f"receipt-paid-{row.id}-mail"]
            if found != int(row.taken):
                yield f"receipt of {each.key}: mailed {found} times"


def told_once(standin_url: str) -> Iterator[str]:
    """Nobody got the same words twice, no claim went out twice."""
    words = Counter((each["to"], each["words"]) for each in _kept(standin_url, "texts"))
    yield from (f"{many} texts to {to}: {said!r}" for (to, said), many in words.items() if many > 1)
    files = _kept(standin_url, "files")
    claims = Counter(number for each in files for number in _CLAIM.findall(str(each["text"])))
    yield from (f"claim {number} went out {many} times" for number, many in claims.items() if many > 1)


def _kept(standin_url: str, what: str) -> list[Json]:
    found: list[Json] = httpx.get(f"{standin_url}/{what}", trust_env=False).json()
    return found
