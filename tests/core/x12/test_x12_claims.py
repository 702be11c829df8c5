"""Claim files: 837P validated by pyx12's full map, 837D against the written-out expectation; and the checks
before they leave.
"""

import io
from dataclasses import replace
from datetime import date, timedelta

import pytest
import pyx12.params
import pyx12.x12n_document
from hypothesis import given
from hypothesis import strategies as st

from tests.x12_samples import DAY, ENVELOPE, HELEN, HOME, MATEO, claim, remittance
from zax.core.claims.check import check_claim, is_npi
from zax.core.claims.claim import ClaimLine, Clinician
from zax.core.money.journal import Kind, Parts
from zax.core.remits.placing import ExpectedLine, place
from zax.core.x12.claim_file import claim_file
from zax.core.x12.parties import Address, Organization
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine, read_remittances
from zax.core.x12.syntax import read


def valid_by_pyx12(text: str) -> bool:
    return bool(pyx12.x12n_document.x12n_document(pyx12.params.params(), io.StringIO(text), None, None))


@pytest.mark.parametrize(
    "claims",
    [
        [claim()],
        [claim(), claim(number="C000018")],
        [claim(relationship="19", patient=MATEO)],
        [claim(group_number="")],
        [
            claim(
                diagnoses=tuple(
                    f"J0{n}.{m}0"[:5]
                    for n, m in (
                        (1, 0),
                        (1, 1),
                        (1, 2),
                        (1, 3),
                        (1, 4),
                        (1, 8),
                        (1, 9),
                        (2, 0),
                        (3, 0),
                        (6, 0),
                        (6, 9),
                        (9, 0),
                    )
                )
            )
        ],
    ],
    ids=["own", "two claims", "child", "no group", "twelve diagnoses"],
)
def test_837p_passes_the_full_5010_map(claims: list) -> None:  # type: ignore[type-arg]
    text = claim_file(claims, ENVELOPE)
    assert read(text).problems == []
    assert valid_by_pyx12(text)


FERRO = Clinician("Nadia", "Ferro", "1467560052", "363LF0000X")


def test_a_line_by_somebody_else_elsewhere_and_supervised_passes_the_full_map() -> None:
    line = replace(
        claim().lines[0],
        modifiers=("25", "59", "76", "GA"),
        pointers=(2, 1),
        place="10",
        rendering=FERRO,
        supervising=Clinician("Ines", "Calloway", "1467560003", "1223G0001X"),
    )
    text = claim_file([claim(lines=(claim().lines[0], line))], ENVELOPE)
    assert valid_by_pyx12(text)
    at = text.splitlines().index("LX*2~")
    assert text.splitlines()[at + 1 : at + 7] == [
        "SV1*HC:99213:25:59:76:GA*128*UN*1*10**2:1~",
        "DTP*472*D8*20261124~",
        "REF*6R*L7~",
        "NM1*82*1*FERRO*NADIA****XX*1467560052~",
        "PRV*PE*PXC*363LF0000X~",
        "NM1*DQ*1*CALLOWAY*INES****XX*1467560003~",
    ]


def test_a_quadrant_stands_in_the_oral_cavity_element() -> None:
    line = ClaimLine(number="L9", code="D4341", cents=24800, units=1, day=DAY, area="20", place="12")
    assert "SV3*AD:D4341*248*12*20**1~" in claim_file([claim(True, lines=(line,))], ENVELOPE).splitlines()


def test_everybody_named_on_a_claim_needs_a_valid_npi() -> None:
    wrong = Clinician("Nadia", "Ferro", "1467560053", "363LF0000X")
    found = check_claim(claim(lines=(replace(claim().lines[0], supervising=wrong),)), DAY)
    assert [(f.field, f.message[:12]) for f in found] == [("npi", "Nadia Ferro ")]


def test_pyx12_would_see_a_broken_file() -> None:
    assert not valid_by_pyx12(claim_file([claim()], ENVELOPE).replace("SV1*HC", "SV1*ZZ"))
    assert not valid_by_pyx12(claim_file([claim()], ENVELOPE).replace("NM1*IL*1", "NM1*IL*9"))


def test_837d_is_written_segment_by_segment_as_the_guide_says() -> None:
    lines = (claim(True).lines[0], ClaimLine(number="L8", code="D0120", cents=6400, units=1, day=DAY))
    written = claim_file([claim(True, lines=lines)], ENVELOPE).splitlines()
    assert written == [
        (
            "ISA*00*          *00*          *ZZ*JUNIPERQ       *ZZ*FERRYHUB      "
            " *261124*1842*^*00501*000000017*0*T*:~"
        ),
        "GS*HC*JUNIPERQ*FERRYHUB*20261124*1842*17*X*005010X224A2~",
        "ST*837*0001*005010X224A2~",
        "BHT*0019*00*17*20261124*1842*CH~",
        "NM1*41*2*JUNIPER QUAY CLINIC*****46*JUNIPERQ~",
        "PER*IC*BILLING OFFICE*TE*3605550100~",
        "NM1*40*2*FERRYHUB CLEARING*****46*FERRYHUB~",
        "HL*1**20*1~",
        "PRV*BI*PXC*261QM1300X~",
        "NM1*85*2*JUNIPER QUAY CLINIC*****XX*1234567893~",
        "N3*18 QUAY STREET~",
        "N4*MARROW HARBOR*WA*982015518~",
        "REF*EI*911234567~",
        "HL*2*1*22*0~",
        "SBR*P*18*G104******CI~",
        "NM1*IL*1*VASQUEZ*HELEN****MI*HG-31806~",
        "N3*12 TIDE STREET~",
        "N4*MARROW HARBOR*WA*98201~",
        "DMG*D8*19840503*F~",
        "NM1*PR*2*HARBOR GUILD DENTAL*****PI*HGD01~",
        "CLM*C000017*350***11:B:1*Y*A*Y*Y~",
        "DTP*472*D8*20261124~",
        "NM1*82*1*CALLOWAY*INES****XX*1467560003~",
        "PRV*PE*PXC*1223G0001X~",
        "LX*1~",
        "SV3*AD:D2392*286****1~",
        "TOO*JP*14*M:O~",
        "REF*6R*L7~",
        "LX*2~",
        "SV3*AD:D0120*64****1~",
        "REF*6R*L8~",
        "SE*30*0001~",
        "GE*1*17~",
        "IEA*1*000000017~",
    ]


def test_a_child_is_written_below_the_subscriber() -> None:
    written = claim_file([claim(True, relationship="19", patient=MATEO)], ENVELOPE).splitlines()
    at = written.index("HL*2*1*22*1~")
    assert written[at + 1] == "SBR*P**G104******CI~"
    assert written[at + 4 : at + 10] == [
        "HL*3*2*23*0~",
        "PAT*19~",
        "NM1*QC*1*VASQUEZ*MATEO~",
        "N3*12 TIDE STREET~",
        "N4*MARROW HARBOR*WA*98201~",
        "DMG*D8*20130209*M~",
    ]


def test_a_line_of_another_day_carries_its_date() -> None:
    lines = (claim(True).lines[0], replace(claim(True).lines[0], number="L8", day=date(2026, 11, 25)))
    assert "DTP*472*D8*20261125~" in claim_file([claim(True, lines=lines)], ENVELOPE)


def test_one_file_holds_claims_of_one_kind() -> None:
    with pytest.raises(ValueError, match="one kind"):
        claim_file([claim(), claim(True)], ENVELOPE)
    with pytest.raises(ValueError, match="one kind"):
        claim_file([], ENVELOPE)


@pytest.mark.parametrize(
    ("changes", "field", "where"),
    [
        ({"subscriber": replace(HELEN, birth=None)}, "birth", "patient"),
        ({"subscriber": replace(HELEN, address=Address("", "X", "WA", "98201"))}, "street", "patient"),
        ({"subscriber": replace(HELEN, sex="")}, "sex", "patient"),
        ({"subscriber": replace(HELEN, member_id="")}, "member_id", "coverage"),
        ({"payer": Organization(name="Nobody", identifier="")}, "payer", "setup"),
        ({"clinician": Clinician("A", "B", "1234567890", "X")}, "npi", "setup"),
        ({"diagnoses": ()}, "diagnosis", "charges"),
        ({"lines": ()}, "lines", "charges"),
        (
            {"lines": (ClaimLine(number="L", code="99213", cents=1, units=1, day=DAY, pointers=(3,)),)},
            "pointers",
            "charges",
        ),
        ({"lines": (ClaimLine(number="L", code="99213", cents=1, units=1, day=DAY),)}, "pointers", "charges"),
        (
            {
                "lines": (
                    ClaimLine(
                        number="L", code="99213", cents=1, units=1, day=DAY + timedelta(days=3), pointers=(1,)
                    ),
                )
            },
            "day",
            "charges",
        ),
        ({"coverage_to": date(2026, 10, 31)}, "coverage", "coverage"),
        ({"coverage_from": date(2026, 12, 1)}, "coverage", "coverage"),
        (
            {
                "lines": (
                    ClaimLine(
                        number="L",
                        code="99213",
                        cents=1,
                        units=1,
                        day=DAY - timedelta(days=400),
                        pointers=(1,),
                    ),
                )
            },
            "day",
            "charges",
        ),
    ],
)
def test_a_stop_names_its_field_and_where_to_mend_it(
    changes: dict[str, object], field: str, where: str
) -> None:
    findings = check_claim(claim(**changes), DAY)
    assert (field, where) in [(f.field, f.where) for f in findings]
    assert all(f.message.endswith(".") for f in findings)


def test_a_sound_claim_has_no_stops() -> None:
    assert check_claim(claim(), DAY) == check_claim(claim(True), DAY) == []
    assert check_claim(claim(relationship="19", patient=replace(MATEO, address=HOME)), DAY) == []


def test_the_npi_check_digit() -> None:
    assert is_npi("1234567893") and is_npi("1467560003")
    assert not is_npi("1234567890") and not is_npi("123456789") and not is_npi("12345678९३")


def answer(text: str):  # type: ignore[no-untyped-def]
    return read_remittances(text).remittances[0].claims[0]


OURS = [ExpectedLine(7, "L7", "99213", 12800, Parts(2560, 10240), 2560)]


def test_an_answer_as_expected_posts_only_the_payment() -> None:
    placed = place(answer(remittance()), OURS)
    assert [(p.kind, p.patient_cents, p.insurer_cents) for p in placed.postings] == [
        (Kind.INSURER_PAYMENT, 0, -10240)
    ]


def test_a_lower_payment_moves_the_rest_to_the_patient_with_its_reason() -> None:
    placed = place(
        answer(remittance(paid="80.64", cas="CAS*CO*45*12.8~CAS*PR*2*34.56").replace("SE*18", "SE*19")), OURS
    )
    assert [(p.kind, p.patient_cents, p.insurer_cents) for p in placed.postings] == [
        (Kind.INSURER_PAYMENT, 0, -8064),
        (Kind.WRITE_OFF, 0, -1280),
        (Kind.TRANSFER, 896, -896),
    ]
    assert "above the contracted amount" in placed.postings[1].words
    assert "coinsurance" in placed.postings[2].words


def test_more_than_expected_takes_from_the_patients_part() -> None:
    placed = place(answer(remittance(paid="128", cas="CAS*PR*2*0")), OURS)
    assert [(p.kind, p.patient_cents, p.insurer_cents) for p in placed.postings][-1] == (
        Kind.TRANSFER,
        -2560,
        2560,
    )


def test_after_posting_nothing_is_left_with_the_insurer() -> None:
    for paid, cas in (("102.4", "CAS*PR*2*25.6"), ("0", "CAS*PR*1*128"), ("128", "")):
        text = remittance(paid=paid, cas=cas)
        text = text if cas else text.replace("SE*18", "SE*17")
        assert OURS[0].open.insurer + sum(p.insurer_cents for p in place(answer(text), OURS).postings) == 0


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (remittance(status="4", paid="0", cas="CAS*CO*27*128"), "Denied: CO 27: coverage had ended"),
        (remittance(status="22"), "is reversing an earlier payment"),
        (remittance(charge="100", paid="80", cas="CAS*PR*2*20"), "isn’t the charge we sent"),
        (remittance(line="L99", service="HC:87880"), "isn’t on this claim"),
        (remittance(paid="0", cas="CAS*PI*204*128"), "PI 204: not covered by this plan"),
        (
            remittance(cas="CAS*PR*2*25.6", paid="102.4")
            .replace("NM1*QC", "CAS*CO*45*0~NM1*QC")
            .replace("SE*18", "SE*19"),
            "the whole claim",
        ),
    ],
)
def test_what_does_not_agree_goes_to_a_person_with_the_reason(text: str, says: str) -> None:
    placed = place(answer(text), OURS)
    assert says in placed.why_not
    assert placed.postings == ()


def test_lines_without_our_number_are_matched_by_code_and_missing_ones_noticed() -> None:
    assert place(answer(remittance(line="")), OURS).why_not == ""
    two = [*OURS, ExpectedLine(8, "L8", "87880", 0, Parts(), 0)]
    assert "didn’t respond to 87880" in place(answer(remittance()), two).why_not


@given(
    st.lists(
        st.tuples(st.integers(100, 300_000), st.integers(0, 100), st.integers(1, 100), st.integers(0, 100)),
        min_size=1,
        max_size=6,
    )
)
def test_whatever_a_payer_pays_the_line_ends_with_the_patient_to_the_cent(
    lines: list[tuple[int, int, int, int]],
) -> None:
    """For any fees, estimates, allowances and percentages: nothing stays with the insurer, no cent is made or
    lost.
    """
    answered, expected, forgiven = [], [], 0
    for number, (fee, estimated, allowed, percent) in enumerate(lines, 1):
        insurer = fee * estimated // 100
        agreed = fee * allowed // 100
        paid = agreed * percent // 100
        adjustments = [Adjustment("CO", "45", fee - agreed), Adjustment("PR", "2", agreed - paid)]
        answered.append(
            RemitLine(
                code="99213",
                qualifier="HC",
                modifiers=(),
                charge_cents=fee,
                paid_cents=paid,
                number=f"L{number}",
                adjustments=adjustments,
            )
        )
        expected.append(
            ExpectedLine(number, f"L{number}", "99213", fee, Parts(fee - insurer, insurer), fee - insurer)
        )
        forgiven += fee - agreed
    charge, paid_in_all = (
        sum(line.charge_cents for line in answered),
        sum(line.paid_cents for line in answered),
    )
    placed = place(
        RemitClaim(
            number="C1",
            status="1",
            charge_cents=charge,
            paid_cents=paid_in_all,
            patient_cents=0,
            payer_claim="P",
            lines=answered,
        ),
        expected,
    )
    assert placed.why_not == ""
    for ours in expected:
        mine = [posting for posting in placed.postings if posting.line_id == ours.line_id]
        assert ours.open.insurer + sum(posting.insurer_cents for posting in mine) == 0
    patient = sum(ours.open.patient for ours in expected) + sum(
        posting.patient_cents for posting in placed.postings
    )
    assert patient + paid_in_all + forgiven == charge
