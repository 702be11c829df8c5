"""Any claim that the three guides allow, as hypothesis makes them up: plain names, so that what is read back
can be compared with what was written.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from hypothesis import strategies as st

from tests.x12_samples import BILLING
from zax.core.claims.claim import Claim, ClaimLine, Clinician, Form, Frequency, Rank
from zax.core.claims.parts import (
    Accident,
    Adjusted,
    Amount,
    Attachment,
    Dates,
    Drug,
    Happened,
    LineDecision,
    OrthodonticPlan,
    OtherCoverage,
    Stay,
)
from zax.core.x12.parties import Address, Organization, Person

days = st.dates(date(2020, 1, 1), date(2026, 12, 31))
some_day = st.none() | days
cents = st.integers(0, 999_999)
NPIS = ("1467560003", "1234567893", "1987654328", "1467560052")
names = st.text("ABCDEFGHIJKLMNOPQRSTUVWXYZ-'", min_size=2, max_size=20).map(lambda t: f"A{t}Z")
numbers = st.text("ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789", min_size=2, max_size=18)
clinicians = st.builds(Clinician, names, names, st.sampled_from(NPIS), st.just(""))
addresses = st.builds(
    Address,
    st.just("12 TIDE STREET"),
    names.map(lambda t: t.replace("'", "").replace("-", "")),
    st.sampled_from(["WA", "OR"]),
    st.sampled_from(["98201", "982015518"]),
)
birth = st.dates(date(1930, 1, 1), date(2025, 12, 31))


@st.composite
def people(draw: st.DrawFn, member: bool) -> Person:
    return Person(
        first=draw(names),
        last=draw(names),
        birth=draw(birth),
        sex=draw(st.sampled_from("MFU")),
        address=draw(addresses),
        member_id=draw(numbers) if member else "",
        middle=draw(st.just("") | names),
    )


adjustments = st.lists(
    st.builds(Adjusted, st.sampled_from(["CO", "PR", "OA"]), st.sampled_from(["1", "2", "3", "45"]), cents),
    max_size=8,
).map(lambda each: tuple(sorted(each, key=lambda a: ["CO", "PR", "OA"].index(a.group))))
others = st.builds(
    OtherCoverage,
    rank=st.just("P"),
    relationship=st.sampled_from(["18", "01", "19"]),
    payer_name=names,
    payer_id=numbers,
    member_id=numbers,
    first=names,
    last=names,
    filing_indicator=st.just("CI"),
    group_number=st.just("") | numbers,
    pays_us=st.booleans(),
    decided=st.just(True),
    decided_on=st.just(date(2026, 3, 1)),
    paid_cents=cents,
    left_cents=st.none() | cents,
    payer_claim=st.just("") | numbers,
    adjusted=adjustments,
)
CODES = {Form.PROFESSIONAL: "99213", Form.DENTAL: "D2740", Form.INSTITUTIONAL: "99283"}


@st.composite
def lines(draw: st.DrawFn, form: Form, number: int, diagnoses: int, decided: bool) -> ClaimLine:
    day = draw(days)
    pointers = (
        draw(st.lists(st.integers(1, diagnoses), min_size=1, max_size=4, unique=True)) if diagnoses else []
    )
    line = ClaimLine(
        number=f"L{number}",
        code=CODES[form],
        cents=draw(cents),
        units=draw(st.integers(1, 99)),
        day=day,
        modifiers=tuple(draw(st.lists(st.sampled_from(["25", "59", "76", "RT"]), max_size=4, unique=True))),
    )
    if decided:
        decision = LineDecision(
            payer_id=draw(numbers),
            paid_cents=draw(cents),
            code=line.code,
            units=line.units,
            day=draw(days),
            adjusted=draw(adjustments),
            left_cents=draw(st.none() | cents),
        )
        line = replace(line, decided=(decision,))
    if form is Form.INSTITUTIONAL:
        return replace(line, revenue=draw(st.sampled_from(["0450", "0301"])), not_covered_cents=draw(cents))
    line = replace(
        line,
        pointers=tuple(pointers),
        place=draw(st.sampled_from(["", "10", "12"])),
        rendering=draw(st.none() | clinicians),
        supervising=draw(st.none() | clinicians),
    )
    if form is Form.DENTAL:
        return replace(
            line,
            tooth=draw(st.sampled_from(["", "14", "A", "3,4"])),
            surfaces="",
            area=draw(st.sampled_from(["", "10", "20"])),
            first_placement=draw(st.sampled_from([None, True, False])),
            placed_before=draw(some_day),
            appliance_on=draw(some_day),
            assistant=draw(st.none() | clinicians),
        )
    return replace(
        line,
        emergency=draw(st.booleans()),
        note=draw(st.sampled_from(["", "BOTH KNEES, SEE NOTE"])),
        drug=draw(st.none() | st.just(Drug("00003029305", "2.5", "ML"))),
        ordering=draw(st.none() | clinicians),
        referring=draw(st.none() | clinicians),
        purchased_npi=draw(st.sampled_from(["", "1467560052"])),
    )


happened = st.builds(Happened, st.sampled_from(["11", "A2"]), days)


@st.composite
def stays(draw: st.DrawFn) -> Stay:
    first = draw(days)
    return Stay(
        first=first,
        last=first,
        admitted=draw(st.just(first)),
        admitted_hour=draw(st.sampled_from(["00", "10", "23"])),
        admission_type="1",
        admission_source="1",
        discharge_hour=draw(st.sampled_from(["", "14"])),
        discharge_status="01",
        admitting=draw(st.sampled_from(["", "J18.9"])),
        reasons=tuple(draw(st.lists(st.just("R07.9"), max_size=3))),
        causes=tuple(draw(st.lists(st.just("V49.9XXA"), max_size=2))),
        procedures=tuple(draw(st.lists(st.builds(Happened, st.just("0DTJ4ZZ"), days), max_size=3))),
        occurrences=tuple(draw(st.lists(happened, max_size=14))),
        values=tuple(draw(st.lists(st.builds(Amount, st.sampled_from(["80", "A1"]), cents), max_size=3))),
        conditions=tuple(draw(st.lists(st.sampled_from(["C1", "09"]), max_size=3, unique=True))),
    )


@st.composite
def claims(draw: st.DrawFn, form: Form) -> Claim:
    """A claim of this form with any of what it may carry."""
    own = draw(st.booleans())
    codes = ["J02.9", "R05.1", "I10", "Z00.00"]
    count = draw(st.integers(1, 4))
    diagnoses = () if form is Form.DENTAL and draw(st.booleans()) else tuple(codes[:count])
    second = draw(st.booleans())
    subscriber = draw(people(member=True))
    institutional = form is Form.INSTITUTIONAL
    if not own:
        # A file names a subscriber who is not the patient by name and number alone.
        subscriber = replace(subscriber, birth=None, sex="", address=Address())
    frequency = draw(st.sampled_from(Frequency))
    claim = Claim(
        number=draw(numbers),
        form=form,
        payer=Organization(name=draw(names), identifier=draw(numbers)),
        filing_indicator="CI",
        group_number=draw(st.just("") | numbers),
        relationship="18" if own else draw(st.sampled_from(["01", "19", "G8"])),
        subscriber=subscriber,
        patient=subscriber if own else draw(people(member=False)),
        billing=BILLING,
        clinician=draw(clinicians),
        place_of_service="" if institutional else draw(st.sampled_from(["11", "22"])),
        bill_type="13" if institutional else "",
        lines=tuple(
            draw(lines(form, at, len(diagnoses), second)) for at in range(1, draw(st.integers(2, 5)))
        ),
        diagnoses=diagnoses,
        rank=Rank.SECONDARY if second else Rank.PRIMARY,
        frequency=frequency,
        payer_claim="" if frequency is Frequency.ORIGINAL else draw(numbers),
        assigned=draw(st.booleans()),
        pays_us=draw(st.booleans()),
        released=draw(st.booleans()),
        authorization=draw(st.just("") | numbers),
        referral=draw(st.just("") | numbers),
        note=draw(st.sampled_from(["", "SEE THE X-RAY"])),
        delay_reason=draw(st.sampled_from(["", "1"])),
        paid_cents=draw(st.integers(0, 5000)),
        attachments=tuple(draw(st.lists(st.just(Attachment("RB", "EL", "ATT1")), max_size=2))),
        referring=draw(st.none() | clinicians),
        others=(draw(others),) if second else (),
    )
    if institutional:
        return replace(
            claim,
            stay=draw(stays()),
            attending=draw(clinicians),
            operating=draw(st.none() | clinicians),
            present=("Y",) * len(diagnoses) if draw(st.booleans()) else (),
        )
    kinds = draw(st.sampled_from([(), ("AA",), ("EM", "OA")]))
    accident = Accident(kinds, draw(days), "WA" if "AA" in kinds else "") if kinds else None
    claim = replace(
        claim,
        accident=accident,
        supervising=draw(st.none() | clinicians),
        facility=draw(
            st.none()
            | st.builds(Organization, name=names, identifier=st.just("1234567893"), address=addresses)
        ),
    )
    if form is Form.DENTAL:
        return replace(
            claim,
            braces=draw(st.none() | st.just(OrthodonticPlan(24, 18))),
            missing_teeth=tuple(draw(st.lists(st.sampled_from(["1", "16", "32"]), unique=True))),
            teeth_to_extract=tuple(draw(st.lists(st.sampled_from(["17"]), unique=True))),
            assistant=draw(st.none() | clinicians),
            dates=Dates(appliance=draw(some_day)),
        )
    return replace(
        claim,
        died=draw(st.none() | days),
        clia=draw(st.sampled_from(["", "06D1234567"])),
        dates=Dates(
            onset=draw(some_day),
            first_treated=draw(some_day),
            last_seen=draw(some_day),
            last_worked=draw(some_day),
            disabled_from=draw(some_day),
            disabled_to=draw(some_day),
            admitted=draw(some_day),
            discharged=draw(some_day),
        ),
    )


any_claim = st.sampled_from(Form).flatmap(claims)
