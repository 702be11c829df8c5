"""Claims in the states of the trade: two that look odd by payers' own rules, one denied, one whose second
plan is to be billed, one that the payer turned back, and planned work that a plan was asked about. The
answers come in as files, by the same act as at the desk.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

from sqlalchemy import insert, select, update

from zax.core.claims.states import ClaimState
from zax.core.coverage.member import member_key
from zax.core.people.roles import MANAGER
from zax.core.x12.claim_file import claim_file
from zax.core.x12.parties import Envelope, Organization
from zax.core.x12.syntax import amount
from zax.desk.acts.actor import Actor
from zax.desk.acts.transaction import Desk
from zax.desk.claims.content import made_claim
from zax.desk.claims.fixing import fix
from zax.desk.claims.predetermining import ask_about_planned
from zax.desk.remits.importing import import_file
from zax.standin.answers import remittance
from zax.standin.claims import read_claim_file
from zax.standin.keep import Keep
from zax.store import schema
from zax.store.claims.claims import claim_of

RAVI = Actor(2, "Ravi Teller", MANAGER, "RT")
SECOND, DENIED, TURNED_BACK = "Gus Fairley", "Lena Ortega", "Nina Sorel"
ASKED_BEFOREHAND = "Priya Raman"
# What Gus's first plan approved: number, services, units, note.
APPROVED: tuple[tuple[str, tuple[str, ...], int, str], ...] = (
    ("GA-2207", ("D71*", "D72*"), 3, "by phone with Tess"),
    ("GA-2240", ("D27*",), 1, "for the crown on 30"),
)
# Payer, services, field, sentence.
RULES = (
    (5, "D111*", "attachments", "State assistance asks for the gum chart with adult cleanings."),
    (4, "904*", "note", "Copperline wants the vaccine’s lot number in a note."),
)


def before_today(desk: Desk, day: date, patients: Mapping[str, int]) -> None:
    """What two payers want, and a second plan of one who comes this morning."""
    gus = patients[SECOND]
    with desk.engine.begin() as connection:
        for payer_id, code, field, sentence in RULES:
            connection.execute(
                insert(schema.payer_rule).values(
                    payer_id=payer_id,
                    field=field,
                    condition="given",
                    strength="odd",
                    sentence=sentence,
                    codes=[code],
                )
            )
        first = connection.execute(
            select(schema.coverage.c.id).where(schema.coverage.c.patient_id == gus)
        ).scalar_one()
        for number, codes, units, note in APPROVED:
            connection.execute(
                insert(schema.approval).values(
                    coverage_id=first,
                    kind="authorization",
                    number=number,
                    codes=list(codes),
                    units=units,
                    from_day=date(day.year, 1, 1),
                    to_day=date(day.year, 12, 31),
                    note=note,
                    made_at=desk.clock.now(),
                )
            )
        connection.execute(
            insert(schema.coverage).values(
                patient_id=gus,
                plan_id=2,
                subscriber_id=gus,
                member_id="BW-70355",
                member_key=member_key("BW-70355"),
                group_number="G104",
                rank=2,
                from_day=date(day.year - 1, 1, 1),
            )
        )


def answered(desk: Desk, day: date, patients: Mapping[str, int]) -> None:
    """What came back of three claims before the demo begins."""
    number, line = _sent(desk, patients[SECOND])
    own, paid = _expected(desk, line)
    rest = line[2] - own - paid
    service = [f"CAS*PR*1*{amount(own)}**2*{amount(rest)}"]
    _import(desk, day, _payment(day, number, line, "HARBOR GUILD DENTAL", "1", amount(paid), service))
    number, line = _sent(desk, patients[DENIED])
    service = [f"CAS*CO*197*{amount(line[2])}"]
    _import(desk, day, _payment(day, number, line, "HARBOR GUILD DENTAL", "4", "0", service))
    number, line = _sent(desk, patients[TURNED_BACK])
    _import(desk, day, _status(day, number, line[2]))


def asked_beforehand(desk: Desk, patient_id: int) -> None:
    """What a plan would pay of planned work: asked, and answered as the stand-in's payer does."""
    proposal, claim = schema.proposal, schema.claim
    with desk.engine.connect() as connection:
        work = connection.execute(
            select(proposal.c.id).where(proposal.c.patient_id == patient_id)
        ).scalar_one()
    asked = ask_about_planned(desk, RAVI, work, "A")
    fix(desk, RAVI, asked, "lines.2.prosthesis", {"placement": "first"})
    sent_at = desk.clock.now() - timedelta(minutes=30)
    with desk.engine.begin() as connection:
        values = {"state": ClaimState.ACCEPTED, "sent_at": sent_at}
        connection.execute(update(claim).where(claim.c.id == asked).values(**values))
        row = claim_of(connection, asked)
        assert row is not None
        made = made_claim(connection, desk.clinic, row, desk.clock.now().date())
    us, house = (
        Organization(name="Juniper Quay Clinic", identifier="JUNIPERQ"),
        Organization(name="FERRYHUB", identifier="FERRYHUB"),
    )
    envelope = Envelope(sender=us, receiver=house, made_at=sent_at, control=1)
    file = read_claim_file(claim_file([made.claim], envelope))
    with TemporaryDirectory() as folder:
        said = remittance(file, file.claims[0], Keep(Path(folder)), 900_001, desk.clock.now())
    import_file(desk, RAVI, f"beforehand-{row.number}.x12", said)


def _sent(desk: Desk, patient_id: int) -> tuple[str, tuple[str, str, int]]:
    """The patient's claim of today as it stands once it has gone; (number, (line, code, cents))."""
    claim, line, charge = schema.claim, schema.claim_line, schema.charge_line
    query = (
        select(claim.c.id, claim.c.number, line.c.line_id, schema.service.c.code, line.c.cents)
        .join(line, line.c.claim_id == claim.c.id)
        .join(charge, charge.c.id == line.c.line_id)
        .join(schema.service, schema.service.c.id == charge.c.service_id)
        .where(claim.c.patient_id == patient_id)
        .order_by(claim.c.id.desc(), line.c.position)
    )
    with desk.engine.begin() as connection:
        row = connection.execute(query).first()
        assert row is not None, "everybody named here had a visit this morning"
        sent_at = desk.clock.now() - timedelta(minutes=30)
        values = {"state": ClaimState.ACCEPTED, "sent_at": sent_at, "findings": []}
        connection.execute(update(claim).where(claim.c.id == row.id).values(**values))
    return row.number, (f"L{row.line_id}", row.code, row.cents)


def _expected(desk: Desk, line: tuple[str, str, int]) -> tuple[int, int]:
    """(deductible, what the first plan should pay) of the service, as the desk estimated it."""
    charge = schema.charge_line
    query = select(charge.c.deductible_cents, charge.c.first_cents).where(charge.c.id == int(line[0][1:]))
    with desk.engine.connect() as connection:
        row = connection.execute(query).one()
    return row.deductible_cents, row.first_cents


def _import(desk: Desk, day: date, text: str) -> None:
    import_file(desk, RAVI, f"{day:%Y%m%d}.x12", text)


def _payment(
    day: date,
    number: str,
    line: tuple[str, str, int],
    payer: str,
    status: str,
    paid: str,
    service: list[str],
) -> str:
    """An 835 of one claim with one service."""
    ours, code, cents = line
    today = f"{day:%Y%m%d}"
    method = "ACH*CCP*01*999999992*DA*123456*1512345678**01*999988880*DA*98765"
    body = [
        f"BPR*I*{paid}*C*{method if paid != '0' else 'NON***********'}*{today}",
        f"TRN*1*DEMO-{number}*1512345678",
        f"DTM*405*{today}",
        f"N1*PR*{payer}",
        "N3*1 LEDGER WAY",
        "N4*MARROW HARBOR*WA*98201",
        "N1*PE*JUNIPER QUAY CLINIC*XX*1467560003",
        "LX*1",
        f"CLP*{number}*{status}*{amount(cents)}*{paid}**12*PC-{number}*11*1",
        "NM1*QC*1*X*X",
        f"SVC*AD:{code}*{amount(cents)}*{paid}**1",
        f"DTM*472*{today}",
        *service,
        f"REF*6R*{ours}",
    ]
    return interchange(day, "HP", "835", "005010X221A1", body)


def _status(day: date, number: str, cents: int) -> str:
    """A 277CA that turns one claim back for the birth date."""
    today = f"{day:%Y%m%d}"
    body = [
        f"BHT*0085*08*1*{today}*0800*TH",
        "HL*1**20*1",
        "NM1*PR*2*COPPERLINE HEALTH*****PI*CPL01",
        "HL*2*1*21*1",
        "NM1*41*2*JUNIPER QUAY CLINIC*****46*JUNIPERQ",
        "TRN*2*1",
        f"STC*A1:19:PR*{today}*WQ*{amount(cents)}",
        "HL*3*2*19*1",
        "NM1*85*2*JUNIPER QUAY CLINIC*****XX*1467560003",
        "HL*4*3*PT",
        "NM1*QC*1*X*X",
        f"TRN*2*{number}",
        f"STC*A7:158:QC*{today}*U*{amount(cents)}",
    ]
    return interchange(day, "HN", "277", "005010X214", body, 1)


def interchange(day: date, group: str, kind: str, version: str, body: Sequence[str], control: int = 2) -> str:
    """One transaction in its envelope, as the clearinghouse sends it."""
    start = f"ST*{kind}*0001*{version}" if kind == "277" else f"ST*{kind}*0001"
    rows = [
        "ISA*00*          *00*          *ZZ*FERRYHUB       *ZZ*JUNIPERQ      "
        f" *{day:%y%m%d}*0800*^*00501*{control:09d}*0*P*:",
        f"GS*{group}*FERRYHUB*JUNIPERQ*{day:%Y%m%d}*0800*{control}*X*{version}",
        start,
        *body,
        f"SE*{len(body) + 2}*0001",
        f"GE*1*{control}",
        f"IEA*1*{control:09d}",
    ]
    return "~".join(rows) + "~"
