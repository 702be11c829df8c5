"""The stand-in: its answers are valid by an independent reader, its memory survives, and keys work once."""

import io
import time
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import pytest
import pyx12.params
import pyx12.x12n_document
from fastapi.testclient import TestClient

from tests.conftest import free_port
from tests.x12_samples import ENVELOPE, HELEN, claim
from zax.core.claims.claim import Rank
from zax.core.claims.parts import Adjusted, LineDecision, OtherCoverage
from zax.core.x12.claim_file import claim_file
from zax.core.x12.describe import describe
from zax.core.x12.parties import Person
from zax.standin.answers import TEMPERS, acknowledgement, remittance, remittances
from zax.standin.app import create_app
from zax.standin.claims import read_claim_file
from zax.standin.keep import Keep

NOW = datetime(2026, 11, 24, 18, 45)


def valid(text: str) -> bool:
    return bool(pyx12.x12n_document.x12n_document(pyx12.params.params(), io.StringIO(text), None, None))


@pytest.mark.parametrize("dental", [False, True])
def test_answers_are_valid_and_add_up(dental: bool, tmp_path: Path) -> None:
    file = read_claim_file(claim_file([claim(dental)], ENVELOPE))
    assert file.errors == []
    paid = remittance(file, file.claims[0], Keep(tmp_path), 5, NOW)
    assert valid(paid) and valid(acknowledgement(file, 6, NOW))
    assert describe(paid)["problems"] == []
    assert describe(paid)["transactions"][0]["claims"][0]["number"] == "C000017"
    assert describe(acknowledgement(file, 6, NOW))["transactions"][0]["files"][0]["verdict"] == "accepted"


def member(number: str) -> Person:
    return replace(HELEN, member_id=number)


@pytest.mark.parametrize("ending", sorted(TEMPERS))
def test_for_a_made_up_member_it_answers_in_every_way_of_the_trade(ending: str, tmp_path: Path) -> None:
    told = claim(patient=member(f"HG{ending}"), subscriber=member(f"HG{ending}"))
    file = read_claim_file(claim_file([told], ENVELOPE))
    answers = remittances(file, file.claims[0], Keep(tmp_path), 5, NOW)
    assert all(valid(each) for each in answers)
    said = [describe(each)["transactions"][0] for each in answers]
    assert [describe(each)["problems"] for each in answers] == [[]] * len(answers)
    first = said[0]["claims"][0]
    if ending.startswith("D"):
        assert first["paid_cents"] == 0 and first["lines"][0]["adjustments"][0]["group"] == "CO"
    if ending == "X1":
        assert first["status"] == "19"
    if ending == "B1":
        assert said[1]["claims"][0]["status"] == "22" and said[1]["paid_cents"] == 0
        assert said[1]["claims"][0]["paid_cents"] == -first["paid_cents"]
    if ending in {"L6", "E3"}:
        assert [each["reason"] for each in said[0]["provider_adjustments"]] == [ending]


def test_a_second_plan_pays_what_the_first_left(tmp_path: Path) -> None:
    told = claim()
    decided = LineDecision(
        payer_id="CPL01",
        paid_cents=8_000,
        code="99213",
        units=1,
        day=NOW.date(),
        adjusted=(Adjusted("CO", "45", 2_800), Adjusted("PR", "2", 2_000)),
        left_cents=2_000,
    )
    other = OtherCoverage(
        rank="P",
        relationship="18",
        payer_name="Copperline Health",
        payer_id="CPL01",
        member_id="CP-1",
        first="Helen",
        last="Vasquez",
        filing_indicator="CI",
        decided=True,
        decided_on=NOW.date(),
        paid_cents=8_000,
    )
    second = replace(
        told, rank=Rank.SECONDARY, others=(other,), lines=(replace(told.lines[0], decided=(decided,)),)
    )
    file = read_claim_file(claim_file([second], ENVELOPE))
    assert file.errors == []
    paid = describe(remittances(file, file.claims[0], Keep(tmp_path), 5, NOW)[0])["transactions"][0]
    (said,) = paid["claims"]
    assert (said["status"], said["paid_cents"]) == ("2", 2_000)
    assert said["lines"][0]["adjustments"] == [{"group": "OA", "reason": "23", "cents": 10_800}]


def test_the_deductible_is_remembered_from_claim_to_claim(tmp_path: Path) -> None:
    file, keep = read_claim_file(claim_file([claim()], ENVELOPE)), Keep(tmp_path)
    first, second = (describe(remittance(file, file.claims[0], keep, n, NOW)) for n in (1, 2))
    reasons = [
        [a["reason"] for a in d["transactions"][0]["claims"][0]["lines"][0]["adjustments"]]
        for d in (first, second)
    ]
    assert reasons == [["1", "2"], ["2"]]


@pytest.mark.parametrize(
    "damage", [("SV1*HC", "SV1*ZZ"), ("CLM*C000017*128", "CLM*C000017*99"), ("SE*27", "SE*5")]
)
def test_a_wrong_claim_file_is_rejected(damage: tuple[str, str]) -> None:
    file = read_claim_file(claim_file([claim()], ENVELOPE).replace(*damage))
    assert file.errors
    assert describe(acknowledgement(file, 1, NOW))["transactions"][0]["verdict"] == "rejected"


def test_what_is_no_claim_file_is_said_so() -> None:
    assert "unreadable" in read_claim_file("hello").errors[0]


@pytest.fixture
def outside_world(tmp_path: Path) -> TestClient:
    return TestClient(create_app(tmp_path, free_port(), pay_seconds=0))


def test_a_file_is_taken_once_whatever_the_sender_does(outside_world: TestClient) -> None:
    text = claim_file([claim()], ENVELOPE)
    for _ in range(3):
        assert (
            outside_world.post(
                "/clearinghouse/files", content=text, headers={"Idempotency-Key": "k1"}
            ).status_code
            == 202
        )
    box = outside_world.get("/clearinghouse/mailbox").json()
    assert [each["name"].split("-")[0] for each in box] == ["999", "277", "835"]
    for each in box:
        assert outside_world.get(f"/clearinghouse/mailbox/{each['id']}").text.startswith("ISA")
        assert outside_world.delete(f"/clearinghouse/mailbox/{each['id']}").status_code == 204
    assert outside_world.get("/clearinghouse/mailbox").json() == []
    assert outside_world.get(f"/clearinghouse/mailbox/{box[0]['id']}").status_code == 404


def test_payers_take_their_time(tmp_path: Path) -> None:
    client = TestClient(create_app(tmp_path, free_port(), pay_seconds=3600))
    client.post(
        "/clearinghouse/files", content=claim_file([claim()], ENVELOPE), headers={"Idempotency-Key": "k1"}
    )
    assert len(client.get("/clearinghouse/mailbox").json()) == 2
    assert any(each["from"] > time.time() + 3000 for each in Keep(tmp_path).all("mailbox"))


def test_the_terminal_charges_a_key_once_and_can_be_steered(outside_world: TestClient) -> None:
    def sell(key: str) -> dict[str, object]:
        return dict(
            outside_world.post(
                "/terminal/sales", json={"cents": 4260}, headers={"Idempotency-Key": key}
            ).json()
        )

    assert sell("a") == sell("a")
    assert len(outside_world.get("/sales").json()) == 1
    outside_world.post("/terminal/mode", data={"mode": "decline"})
    assert sell("b")["state"] == "declined"
    assert sell("c")["state"] == "approved"
    assert outside_world.get("/terminal/sales/nobody").status_code == 404
    assert outside_world.post("/terminal/mode", data={"mode": "dance"}).status_code == 422
    assert "is declined" in outside_world.get("/").text
