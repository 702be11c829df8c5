"""What is said of claims before they are paid, read: 999 down to the element, TA1, 277CA and 277."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.x12_samples import ENVELOPE, MATEO, claim, envelope
from zax.core.x12.acknowledgement import acknowledgements_of, locate
from zax.core.x12.claim_file import claim_file
from zax.core.x12.claim_status import status_reports_of
from zax.core.x12.describe import describe
from zax.core.x12.status_codes import CATEGORIES, ENTITIES, STATUSES, Verdict, status_words, verdict_of
from zax.core.x12.syntax import Document, read

SENT = claim_file(
    [claim(), claim(number="C000018", relationship="19", patient=MATEO), claim(number="C000019")], ENVELOPE
)


def position(starts: str, after: str = "") -> int:
    """Where a segment stands in what was sent, counted from ST as 1."""
    rows = SENT.splitlines()
    start = next(at for at, row in enumerate(rows) if row.startswith("ST*"))
    begin = next(at for at, row in enumerate(rows) if row.startswith(after)) if after else 0
    return next(at for at, row in enumerate(rows) if at >= begin and row.startswith(starts)) - start + 1


def refused(*errors: str) -> Document:
    body = ["AK1*HC*17*005010X222A1", "AK2*837*000000017*005010X222A1", *errors, "IK5*R*5", "AK9*R*1*1*0"]
    return read(envelope("999", "FA", "005010X231A1", body))


def located(*errors: str) -> list[tuple[str, str, str]]:
    (answer,) = acknowledgements_of(refused(*errors)).acknowledgements
    return [(each.claim, each.about, each.error.words) for each in locate(answer.files[0].errors, read(SENT))]


def test_an_error_is_found_on_its_claim_by_its_position() -> None:
    at = position("NM1*IL", after="CLM*C000017")
    assert located(f"IK3*NM1*{at}*2010*8", "IK4*9*67*4*7") == [
        ("C000018", "subscriber.member_id", "NM109 of the plan’s holder is too short: 7")
    ]


def test_an_error_on_a_service_opens_its_line() -> None:
    at = position("SV1", after="CLM*C000019")
    assert located(f"IK3*SV1*{at}*2400*8", "IK4*7:1*1328*7*9") == [
        ("C000019", "lines.1.pointers", "SV107 of a service isn’t a code of the list: 9")
    ]


def test_the_patient_is_told_from_the_plans_holder() -> None:
    at = position("DMG", after="NM1*QC")
    assert located(f"IK3*DMG*{at}*2010*8", "IK4*2*1251*8*20130231") == [
        ("C000018", "patient.birth", "DMG02 of the patient isn’t a date: 20130231")
    ]


def test_what_is_wrong_with_the_clinic_is_no_claims_fault() -> None:
    at = position("NM1*85")
    (found,) = located(f"IK3*NM1*{at}*2010*8", "IK4*9*67*I12*1")
    assert found[:2] == ("", "")


def test_several_elements_of_one_segment_are_all_said() -> None:
    at = position("CLM")
    found = located(f"IK3*CLM*{at}*2300*8", "IK4*2*782*6*1X", "IK4*5:3*1325*7*9", "CTX*CLM01:C000017")
    assert [words for _, _, words in found] == [
        "CLM02 of the claim has a character that isn’t allowed: 1X",
        "CLM05 of the claim isn’t a code of the list: 9",
    ]


@given(st.integers(0, 400), st.sampled_from(["NM1", "SV1", "HI", "XX"]), st.text("0123456789:", max_size=4))
def test_no_position_makes_the_reader_fail(at: int, segment: str, element: str) -> None:
    for number, _, _ in located(f"IK3*{segment}*{at}*2010*8", f"IK4*{element}*1*7*X"):
        assert number in {"", "C000017", "C000018", "C000019"}


def test_a_status_is_said_in_words_and_the_gravest_counts() -> None:
    body = [
        "BHT*0085*08*1*20261124*0800*TH",
        "HL*1**20*1",
        "NM1*PR*2*COPPERLINE HEALTH*****PI*CPL01",
        "HL*2*1*21*1",
        "NM1*41*2*JUNIPER*****46*J",
        "TRN*2*17",
        "STC*A1:19:PR*20261124*WQ*256",
        "HL*3*2*19*1",
        "NM1*85*2*JUNIPER*****XX*1467560003",
        "HL*4*3*PT",
        "NM1*QC*1*VASQUEZ*HELEN****MI*HG1",
        "TRN*2*C000017",
        "STC*A7:562:82*20261124*U*128******A7:255:QC",
        "HL*5*3*PT",
        "NM1*QC*1*VASQUEZ*MATEO****MI*HG1",
        "TRN*2*C000018",
        "STC*A2:20:PR*20261124*WQ*128",
        "REF*1K*P77",
    ]
    reports, problems = status_reports_of(read(envelope("277", "HN", "005010X214", body)))
    one, two = reports[0].claims
    assert problems == [] and reports[0].payer == "COPPERLINE HEALTH"
    assert (one.number, one.verdict, one.charge_cents) == ("C000017", Verdict.REFUSED, 12800)
    assert [each.about for each in one.statuses] == ["rendering.npi", "diagnoses"]
    assert one.words == (
        "rejected: something is wrong: NPI of the treating provider; rejected: something is wrong: diagnosis"
        " of the patient"
    )
    assert (two.verdict, two.payer_claim, two.words) == (Verdict.TAKEN, "P77", "accepted for processing")


@given(
    st.sampled_from(sorted(CATEGORIES)), st.sampled_from(sorted(STATUSES)), st.sampled_from(["", *ENTITIES])
)
def test_every_status_has_words(category: str, status: str, entity: str) -> None:
    assert status_words(category, status, entity).strip() and verdict_of(category) in Verdict


@pytest.mark.parametrize("text", ["", "hello", SENT])
def test_what_is_no_status_is_said(text: str) -> None:
    _, problems = status_reports_of(read(text))
    assert problems


def test_a_word_on_an_interchange_is_read() -> None:
    ta1 = SENT[: SENT.index("GS*")] + "TA1*000000017*261124*1842*A*000~\nIEA*0*000000017~\n"
    (found,) = describe(ta1)["transactions"]
    assert (found["kind"], found["verdict"], found["words"]) == ("TA1", "accepted", "accepted")
