"""What the stand-in says of claims before they are paid: valid by an independent reader, and of every kind by
made-up member.
"""

import io
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import pytest
import pyx12.params
import pyx12.x12n_document
from fastapi.testclient import TestClient

from tests.conftest import free_port
from tests.x12_samples import ENVELOPE, HELEN, MATEO, claim
from zax.core.claims.claim import Claim
from zax.core.x12.claim_file import claim_file
from zax.core.x12.describe import describe
from zax.core.x12.status_inquiry import status_inquiry
from zax.core.x12.syntax import read
from zax.standin.app import create_app

NOW = datetime(2026, 11, 24, 18, 45)


def valid(text: str) -> bool:
    return bool(pyx12.x12n_document.x12n_document(pyx12.params.params(), io.StringIO(text), None, None))


@pytest.fixture
def house(tmp_path: Path) -> TestClient:
    return TestClient(create_app(tmp_path, free_port(), pay_seconds=0))


def of_member(member: str, number: str = "C000017") -> Claim:
    who = replace(HELEN, member_id=member)
    return claim(number=number, subscriber=who, patient=who)


def sent(house: TestClient, *claims: Claim) -> list[str]:
    """What comes back for a file of these claims."""
    text = claim_file(claims, ENVELOPE)
    house.post("/clearinghouse/files", content=text, headers={"Idempotency-Key": "k1"})
    box = house.get("/clearinghouse/mailbox").json()
    return [house.get(f"/clearinghouse/mailbox/{each['id']}").text for each in box]


def test_a_file_is_acknowledged_claim_by_claim(house: TestClient) -> None:
    taken, said, *paid = sent(house, of_member("OK1"), of_member("ZZ-REJECT", "C000018"))
    assert valid(taken) and valid(said) and len(paid) == 1
    claims = describe(said)["transactions"][0]["claims"]
    assert [(c["number"], c["payer_claim"], c["charge_cents"]) for c in claims] == [
        ("C000017", "CPL01-C000017", 12800),
        ("C000018", "", 12800),
    ]
    assert [c["statuses"][0]["words"] for c in claims] == [
        "accepted for processing",
        "rejected: something is wrong: birth date of the patient",
    ]


def test_a_file_is_turned_away_with_the_element_at_fault(house: TestClient) -> None:
    (refused,) = sent(house, of_member("OK1"), of_member("ZZ-999", "C000018"))
    assert valid(refused)
    (file,) = describe(refused)["transactions"][0]["files"]
    assert file["verdict"] == "rejected"
    assert file["errors"] == ["NM109 doesn’t look like one: ZZ-999"]


def test_a_whole_interchange_is_turned_away(house: TestClient) -> None:
    (refused,) = sent(house, of_member("ZZ-TA1"))
    assert describe(refused) == {
        "transactions": [
            {
                "kind": "TA1",
                "control": "000000017",
                "verdict": "rejected",
                "code": "025",
                "words": "rejected: its control number was used before",
            }
        ],
        "problems": [],
    }


def test_a_denial_adds_up(house: TestClient) -> None:
    *_, denied = sent(house, of_member("ZZ-DENY"))
    assert valid(denied)
    (answer,) = describe(denied)["transactions"][0]["claims"]
    assert (answer["status"], answer["paid_cents"]) == ("4", 0)
    assert describe(denied)["problems"] == []


@pytest.mark.parametrize(
    ("member", "words"),
    [
        ("OK1", "paid"),
        ("ZZ-REVIEW", "in review: internal review"),
        ("ZZ-ASKS", "the payer asks for papers: X-rays"),
        ("ZZ-LOST", "the payer can’t find it: claim not found"),
    ],
)
def test_a_question_about_a_claim_is_answered(house: TestClient, member: str, words: str) -> None:
    asked = of_member(member)
    sent(house, asked)
    answer = house.post("/clearinghouse/status", content=status_inquiry(asked, ENVELOPE)).text
    assert describe(answer)["problems"] == []
    (said,) = describe(answer)["transactions"][0]["claims"]
    assert said["number"] == "C000017"
    assert said["statuses"][0]["words"] == words


def test_a_dependent_is_asked_about_below_the_subscriber(house: TestClient) -> None:
    question = status_inquiry(claim(relationship="19", patient=MATEO), ENVELOPE, "P77")
    assert read(question).problems == []
    assert [row for row in question.splitlines() if row[:2] in {"HL", "TR", "RE", "AM", "DT"}] == [
        "HL*1**20*1~",
        "HL*2*1*21*1~",
        "HL*3*2*19*1~",
        "HL*4*3*22*1~",
        "HL*5*4*23~",
        "TRN*1*C000017~",
        "REF*1K*P77~",
        "REF*EJ*C000017~",
        "AMT*T3*128~",
        "DTP*472*D8*20261124~",
    ]
    answer = describe(house.post("/clearinghouse/status", content=question).text)
    assert answer["problems"] == [] and answer["transactions"][0]["claims"][0]["number"] == "C000017"


def test_a_claim_it_never_saw_is_answered_by_its_number(house: TestClient) -> None:
    said = {
        describe(
            house.post(
                "/clearinghouse/status", content=status_inquiry(of_member("OK1", f"C{n}"), ENVELOPE)
            ).text
        )["transactions"][0]["claims"][0]["statuses"][0]["category"]
        for n in range(5)
    }
    assert said == {"P1", "P2", "R4", "D0"}
