"""The worked cases of insurer payments (`tests/cases/posting.json`), taken through the real import: the state
before is written, the files are read, and what became of each line is read back from the journal.
"""

from __future__ import annotations

import json
from collections import defaultdict
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any

from sqlalchemy import insert, text, update

from tests.conftest import JUNO, ODILE, add_patient, at
from tests.desk.paying import pay
from zax.clock import ShiftedClock
from zax.core.claims.states import ClaimState
from zax.core.errors import Refused
from zax.core.money.journal import Kind
from zax.demo.world import TYPE_ID
from zax.desk.acts.transaction import Desk
from zax.desk.money.payments import Item
from zax.desk.remits.importing import import_file
from zax.store import schema

_CASES = Path(__file__).parents[2] / "cases"
_KIT = json.loads((_CASES / "posting.json").read_text(encoding="utf-8"))
SCENARIOS: dict[str, dict[str, Any]] = {each["id"]: each for each in _KIT["scenarios"]}
_RANKS = {"first": (1, "P"), "second": (2, "S"), "third": (3, "T")}
_EARLIER = {"insurer_payment": Kind.INSURER_PAYMENT, "contractual": Kind.WRITE_OFF}
_STATES = {"sent": ClaimState.ACCEPTED, "paid": ClaimState.CLOSED}


@dataclass(frozen=True, slots=True)
class Put:
    """A claim of a case as it stands in the database; `lines` by the case's line number."""

    claim_id: int
    number: str
    lines: dict[int, int]


@dataclass(frozen=True, slots=True)
class LineEnd:
    """What the import did to a line (`paid`, `off`) and who bears what is left of it, in cents; `shared` is
    the patient's part before their own payments.
    """

    paid: int
    off: int
    shared: int
    insured: int
    touched: bool


@dataclass(frozen=True, slots=True)
class Ended:
    """By claim key and line; what each file did (its words, or why it was refused); claims made meanwhile."""

    lines: dict[tuple[str, int], LineEnd]
    said: list[str]
    made: int


def run(desk: Desk, clock: ShiftedClock, case: dict[str, Any]) -> Ended:
    """Write the state before, import the files in order, read back."""
    setup = case["setup"]
    clock.set_to(at(10, day=date.fromisoformat(setup["today"])))
    put = {each["key"]: _put(desk, each) for each in setup["claims"] if each["clinic"] == "own"}
    desk.read_setup()
    newest = _newest(desk, "journal")
    sendable = _sendable(desk)
    said = [_take(desk, name, put) for name in _names(case)]
    lines = {
        (key, number): _end(desk, line_id, newest)
        for key, claim in put.items()
        for number, line_id in claim.lines.items()
    }
    return Ended(lines, said, _sendable(desk) - sendable)


def _names(case: dict[str, Any]) -> list[str]:
    files = sorted(case["answer"]["files"], key=lambda each: each["arrival"])
    return [f"{case['id']}_{each['file']}.835" for each in files]


def _newest(desk: Desk, table: str) -> int:
    with desk.engine.connect() as connection:
        return int(connection.execute(text(f"SELECT COALESCE(MAX(id), 0) FROM `{table}`")).scalar_one())


def _sendable(desk: Desk) -> int:
    """Claims that have not left: those that stand for what a payer passed on itself never do."""
    with desk.engine.connect() as connection:
        found = text("SELECT COUNT(*) FROM claim WHERE state IN ('held_back', 'ready', 'going')")
        return int(connection.execute(found).scalar_one())


def _take(desk: Desk, name: str, put: dict[str, Put]) -> str:
    """The file with our numbers in it; what is said of it."""
    content = (_CASES / "posting_x12" / name).read_text(encoding="utf-8")
    for key, claim in put.items():
        tail = "" if key == "A" else f"_{key}"
        content = content.replace(f"{{{{CLAIM{tail}}}}}", claim.number)
        for number, line_id in claim.lines.items():
            content = content.replace(f"{{{{LINE{number}{tail}}}}}", f"L{line_id}")
    content = content.replace("{{CLAIM_O}}", "RB-20931").replace("{{LINE1_O}}", "RBL1")
    assert "{{" not in content, name
    try:
        return import_file(desk, ODILE, name, content).words
    except Refused as refused:
        return str(refused)


def _end(desk: Desk, line_id: int, newest: int) -> LineEnd:
    found = text(
        "SELECT id, kind, patient_cents, insurer_cents, reverses_id FROM journal WHERE line_id = :line"
    )
    with desk.engine.connect() as connection:
        rows = connection.execute(found, {"line": line_id}).all()
    moved: dict[str, int] = defaultdict(int)
    kinds = {row.id: row.kind for row in rows}
    for row in rows:
        if row.id > newest:
            moved[kinds.get(row.reverses_id, row.kind)] -= row.patient_cents + row.insurer_cents
    return LineEnd(
        moved[Kind.INSURER_PAYMENT],
        moved[Kind.WRITE_OFF],
        sum(row.patient_cents for row in rows),
        sum(row.insurer_cents for row in rows),
        any(row.id > newest for row in rows),
    )


def _add(connection: Any, table: str, **values: Any) -> int:
    made = connection.execute(insert(schema.metadata.tables[table]).values(**values))
    return int(made.inserted_primary_key[0])


def _put(desk: Desk, claim: dict[str, Any]) -> Put:
    """A visit that has left, its charges, coverages, the claim that was sent, and what was decided before."""
    who = claim["patient"]
    patient = add_patient(desk, first=who["first"].title(), last=who["last"].title())
    dental = claim["form"] == "D"
    day = date.fromisoformat(claim["dos"])
    with desk.engine.begin() as connection:
        coverages = {
            rank: _coverage(connection, patient, rank, who["member_id"], day, dental)
            for rank, plan in claim["coverage"].items()
            if plan
        }
        visit = _add(
            connection,
            "visit",
            site_id=1,
            patient_id=patient,
            provider_id=1 if dental else 5,
            room_id=1 if dental else 5,
            type_id=TYPE_ID["Filling" if dental else "Sick visit"],
            day=day,
            start_min=600,
            minutes=30,
            state="left",
            request_key=f"case-{patient}",
            made_at=at(8, day=day),
            made_by=JUNO.id,
        )
        claim_id = _claim(connection, claim, visit, patient, coverages[claim["waiting_on"]])
        lines = {
            each["line"]: _line(connection, claim, each, (visit, patient, claim_id), coverages)
            for each in claim["charges"]
        }
    for each in claim["earlier"]:
        if each["kind"] not in _EARLIER:
            assert each["kind"] == "patient_payment", each
            pay(desk, patient, [Item(visit)], ("cash", f"{each['amount'] / 100:.2f}"))
    return Put(claim_id, f"CH-{claim_id}", lines)


def _coverage(connection: Any, patient: int, rank: str, member: str, day: date, dental: bool) -> int:
    return _add(
        connection,
        "coverage",
        patient_id=patient,
        plan_id=1 if dental else 2,
        subscriber_id=patient,
        member_id=member,
        member_key=member,
        rank=_RANKS[rank][0],
        from_day=date(day.year - 1, 1, 1),
    )


def _claim(connection: Any, claim: dict[str, Any], visit: int, patient: int, coverage: int) -> int:
    made = _add(
        connection,
        "claim",
        number=f"new-{visit}",
        visit_id=visit,
        patient_id=patient,
        coverage_id=coverage,
        form=claim["form"],
        rank=_RANKS[claim["waiting_on"]][1],
        state=_STATES.get(claim["state"], ClaimState.ACCEPTED),
        cents=sum(each["fee"] for each in claim.get("sent_as") or claim["charges"]),
        findings=[],
        carried={},
        kept=[],
        made_at=at(9, day=date.fromisoformat(claim["dos"])),
        sent_at=at(18, day=date.fromisoformat(claim["dos"])),
    )
    connection.execute(update(schema.claim).where(schema.claim.c.id == made).values(number=f"CH-{made}"))
    return made


def _service(connection: Any, code: str, dental: bool) -> int:
    known = connection.execute(text("SELECT id FROM service WHERE code = :code"), {"code": code}).scalar()
    return known or _add(connection, "service", code=code, words=code, dental=dental, category="other")


def _line(
    connection: Any,
    claim: dict[str, Any],
    charge: dict[str, Any],
    ids: tuple[int, int, int],
    coverages: dict[str, int],
) -> int:
    visit, patient, claim_id = ids
    before = charge["before"]
    first = claim["waiting_on"] == "first"
    line = _add(
        connection,
        "charge_line",
        visit_id=visit,
        provider_id=1 if claim["form"] == "D" else 5,
        service_id=_service(connection, charge["code"] or charge["revenue_code"], claim["form"] == "D"),
        units=charge["units"],
        fee_cents=charge["fee"],
        tooth=charge["tooth"] or "",
        surfaces=charge["surface"] or "",
        modifiers=" ".join(charge["modifiers"]),
        points_to=[],
        first_coverage_id=coverages["first"],
        second_coverage_id=coverages.get("second"),
        second_cents=charge["estimate"]["insurer"] if first and "second" in coverages else 0,
        contract_cents=_contract(claim, charge),
        entered_at=at(9, day=date.fromisoformat(claim["dos"])),
    )
    sent = {each["line"]: each["fee"] for each in claim.get("sent_as") or ()}
    _add(
        connection,
        "claim_line",
        claim_id=claim_id,
        line_id=line,
        position=charge["line"],
        cents=sent.get(charge["line"], charge["fee"]),
    )
    entry = {"visit": visit, "patient": patient, "line": line, "day": claim["dos"]}
    _entry(connection, entry, Kind.CHARGE, before["patient_share"], charge["fee"] - before["patient_share"])
    for each in claim["earlier"]:
        if each["line"] == charge["line"] and each["kind"] in _EARLIER:
            _entry(connection, entry | {"claim": claim_id}, _EARLIER[each["kind"]], 0, -each["amount"])
    return line


def _contract(claim: dict[str, Any], charge: dict[str, Any]) -> int | None:
    """What the first plan's contract forgives; None out of network."""
    if claim["coverage"]["first"]["network"] != "in" or charge["contract"] is None:
        return None
    return int(charge["fee"] - charge["contract"])


def _entry(connection: Any, entry: dict[str, Any], kind: Kind, patient: int, insurer: int) -> int:
    day = date.fromisoformat(entry["day"])
    return _add(
        connection,
        "journal",
        kind=kind,
        day=day,
        at=at(11, day=day),
        site_id=1,
        patient_id=entry["patient"],
        visit_id=entry["visit"],
        line_id=entry["line"],
        claim_id=entry.get("claim"),
        patient_cents=patient,
        insurer_cents=insurer,
        words="before",
    )


def faults(case: dict[str, Any], ended: Ended) -> list[str]:
    """Where the journal ends otherwise than the case says, and otherwise than its other good answers."""
    expected = case["expected"]
    found: list[str] = []
    for key, claim in expected["claims"].items():
        others = [
            each["lines"] for each in expected["also_ok"] if each.get("claim") == key and "lines" in each
        ]
        against = [_differences(key, lines, ended) for lines in (claim["lines"], *others)]
        if not claim["lines_strict"]:
            against.append(_totals_differ(key, claim, ended))
        if all(against):
            found += against[0]
    return found


def _differences(key: str, lines: list[dict[str, Any]], ended: Ended) -> list[str]:
    found: list[str] = []
    for line in lines:
        end = ended.lines.get((key, line["line"]))
        if end is None:
            continue  # another clinic's claim: it isn't here at all
        posted, after = line["posted"], line["after"]
        wanted = (
            posted["paid"],
            posted["contractual"] + posted.get("sequestration", 0),
            after["patient_share"],
            after["next_payer"] + after["with_insurer"],
        )
        got = (end.paid, end.off, end.shared, end.insured)
        if got != wanted:
            found.append(f"{key}/{line['line']}: paid, off, patient, insurers {got}, not {wanted}")
    return found


def _totals_differ(key: str, claim: dict[str, Any], ended: Ended) -> list[str]:
    mine = [end for (whose, _), end in ended.lines.items() if whose == key]
    got = (sum(e.paid for e in mine), sum(e.off for e in mine), sum(e.shared for e in mine))
    wanted = (
        claim["totals"]["paid"],
        claim["totals"]["contractual"],
        sum(each["after"]["patient_share"] for each in claim["lines"]),
    )
    return [] if got == wanted else [f"{key}: in all {got}, not {wanted}"]


def breaches(case: dict[str, Any], ended: Ended) -> list[str]:
    """What was done by itself that may never be: `never` of the case."""
    return [
        f"{limit['what']} of {limit['claim']}/{limit['line'] or 'all'} is {amount}, over {limit['over']}"
        for limit in case["expected"].get("never", [])
        if (amount := _amount(limit, ended)) > limit["over"]
    ]


def _amount(limit: dict[str, Any], ended: Ended) -> int:
    mine = [
        end
        for (key, number), end in ended.lines.items()
        if key == limit["claim"] and limit["line"] in {None, number}
    ]
    what = limit["what"]
    if what == "secondary_claims_made":
        return ended.made
    if what == "refund_issued":
        return 0  # the import has no way to refund: a refund is an act of its own
    if what in {"ask_patient", "patient_share"}:
        # Where nothing was posted the estimate from before stands; it is no finding of the answer's.
        return sum(end.shared for end in mine) if any(end.touched for end in mine) else 0
    amounts = {
        "contractual": lambda end: end.off,
        "paid": lambda end: end.paid,
        "with_insurer": lambda end: end.insured,
    }
    return sum(amounts[what](end) for end in mine)
