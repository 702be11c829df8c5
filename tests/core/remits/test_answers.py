"""How an answer to one claim is posted, line by line; whatever a payer pays, no cent is made or lost."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.x12_samples import remittance
from zax.core.money.journal import Kind, Parts
from zax.core.remits.line import ExpectedLine
from zax.core.remits.placing import place
from zax.core.x12.remittance import Adjustment, RemitClaim, RemitLine, read_remittances


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
    assert says in placed.says
    # What was estimated as the patient's waits with the insurer, once it is denied; nothing else moves.
    moved = [(each.kind, each.patient_cents, each.insurer_cents) for each in placed.postings]
    assert moved in ([], [(Kind.TRANSFER, -2_560, 2_560)]) and bool(moved) == placed.denied


def test_lines_without_our_number_are_matched_by_code_and_missing_ones_noticed() -> None:
    assert place(answer(remittance(line="")), OURS).says == ""
    paid_as_other = remittance(line="").replace("SVC*HC:99213:25*128*", "SVC*HC:99212*128*")
    assert "99212, which isn’t on this claim" in place(answer(paid_as_other), OURS).says
    says_so = paid_as_other.replace("**1~DTM", "**1*HC:99213~DTM")
    assert place(answer(says_so), OURS).says == ""
    two = [*OURS, ExpectedLine(8, "L8", "87880", 0, Parts(), 0)]
    assert "didn’t respond to 87880" in place(answer(remittance()), two).says


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
    assert placed.says == ""
    for ours in expected:
        mine = [posting for posting in placed.postings if posting.line_id == ours.line_id]
        assert ours.open.insurer + sum(posting.insurer_cents for posting in mine) == 0
    patient = sum(ours.open.patient for ours in expected) + sum(
        posting.patient_cents for posting in placed.postings
    )
    assert patient + paid_in_all + forgiven == charge
