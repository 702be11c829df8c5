"""What an evening's batch costs: claims checked and written piece by piece, and one read from the record."""

from __future__ import annotations

import random
import time
from collections.abc import Iterator
from datetime import date, datetime

from sqlalchemy import Engine, text

from zax.core.claims.check import check_claim
from zax.core.claims.claim import Claim, ClaimLine, Clinician, Form
from zax.core.claims.situation import KnownDiagnosis, Situation
from zax.core.coverage.payer_list import PayerIndex, read_payers
from zax.core.json import Json
from zax.core.x12.claim_file import claim_pieces
from zax.core.x12.parties import Address, Envelope, Organization, Person
from zax.demo.bench_data import desk_at_opening
from zax.demo.bench_memory import largest_mb, now_mb
from zax.desk.claims.content import made_claim
from zax.standin.payer_list import page
from zax.store.claims.claims import claim_of

MANY, FIRST, READ, SEARCHED = 10_000, 500, 300, 100
DAY = date(2026, 11, 24)
_HOME = Address("12 Tide Street", "Marrow Harbor", "WA", "98201")
_BILLING = Organization(
    name="Juniper Quay Clinic",
    identifier="1234567893",
    address=Address("18 Quay Street", "Marrow Harbor", "WA", "982015518"),
    tax_id="911234567",
    taxonomy="261QM1300X",
)
_ENVELOPE = Envelope(
    sender=Organization(name="Juniper Quay Clinic", identifier="JUNIPERQ", phone="3605550100"),
    receiver=Organization(name="Ferryhub Clearing", identifier="FERRYHUB"),
    made_at=datetime(2026, 11, 24, 18, 42),
    control=17,
)
_SITUATION = Situation(
    today=DAY, filing_days=365, diagnoses={"J029": KnownDiagnosis(True), "R051": KnownDiagnosis(True)}
)


def _claims(many: int) -> Iterator[Claim]:
    """Each checked before it goes on, as an evening's batch does."""
    for n in range(many):
        person = Person(
            first="Helen",
            last=f"Vasquez{n}",
            birth=date(1984, 5, 3),
            sex="F",
            address=_HOME,
            member_id=f"HG{n}",
        )
        lines = (
            ClaimLine(number=f"L{n}", code="99213", cents=12800, units=1, day=DAY, pointers=(1, 2)),
            ClaimLine(number=f"M{n}", code="87880", cents=2500, units=1, day=DAY, pointers=(1,)),
        )
        claim = Claim(
            number=f"C{n:06d}",
            form=Form.PROFESSIONAL,
            payer=Organization(name="Copperline Health", identifier="CPL01"),
            filing_indicator="CI",
            group_number="G104",
            relationship="18",
            subscriber=person,
            patient=person,
            billing=_BILLING,
            clinician=Clinician("Nadia", "Ferro", "1467560052", "363LF0000X"),
            place_of_service="11",
            lines=lines,
            diagnoses=("J02.9", "R05.1"),
        )
        assert not check_claim(claim, _SITUATION), "the bench's claims are sound"
        yield claim


def batch_cost(many: int) -> Json:
    """Seconds for so many, their bytes, and megabytes more than the first ones had taken."""
    sum(len(piece) for piece in claim_pieces(_claims(FIRST), Form.PROFESSIONAL, _ENVELOPE))
    first, began = now_mb(), time.monotonic()
    size = sum(len(piece) for piece in claim_pieces(_claims(many), Form.PROFESSIONAL, _ENVELOPE))
    seconds = time.monotonic() - began
    return {
        "claims": many,
        "seconds": round(seconds, 1),
        "mb_written": round(size / 1e6, 1),
        "mb": round(largest_mb() - first, 1),
    }


def payer_search() -> Json:
    """Milliseconds of the slowest of many searches in the clearinghouse's whole list, typed right, cut short
    and wrong, and of looking through every spelling for just these letters (the floor).
    """
    index = PayerIndex(read_payers(page("", MANY)[0]).payers)
    named = random.Random(7).sample([payer.name for payer in index.payers], SEARCHED)
    typed = [form for name in named for form in (name, name[:7], name[0] + name[2:])]
    index.find(typed[0])
    slowest, floor = 0.0, 0.0
    for text_typed in typed:
        began = time.process_time()
        index.find(text_typed)
        slowest = max(slowest, time.process_time() - began)
        began = time.process_time()
        sum(text_typed.lower() in key for key in index.keys)
        floor = max(floor, time.process_time() - began)
    return {
        "payers": len(index.payers),
        "slowest_ms": round(slowest * 1000, 1),
        "floor_ms": round(floor * 1000, 1),
    }


def record_ms(engine: Engine) -> float:
    """Milliseconds to put one claim together from the record and check it, over some hundred."""
    desk, _, opens = desk_at_opening(engine)
    with engine.connect() as connection:
        query = text("SELECT id FROM claim WHERE state = 'accepted' ORDER BY id DESC LIMIT 5000")
        ids = random.Random(7).sample([*connection.execute(query).scalars()], READ)
        began = time.monotonic()
        for claim_id in ids:
            row = claim_of(connection, claim_id)
            assert row is not None, "it was just listed"
            made_claim(connection, desk.clinic, row, opens.date())
    return round((time.monotonic() - began) * 1000 / READ, 1)
