"""What comes back before a payer pays, and the claims that follow one: 999, TA1, 277CA, questions, the second
plan, corrected and void claims; against a real MariaDB.
"""

from __future__ import annotations

import io
from datetime import timedelta

import pytest
import pyx12.params
import pyx12.x12n_document
from sqlalchemy import text

from tests.conftest import (
    JUNO,
    ODILE,
    TODAY,
    add_patient,
    scalar,
    visit_at_checkout,
)
from tests.desk.claims.test_working_claims import abouts, finished, sent_text, spoil, state
from tests.desk.remits.test_insurers import answer
from tests.desk.remits.test_two_plans_and_denials import with_second_plan
from tests.fakes import FakeClearinghouse
from tests.x12_samples import envelope
from zax.core.errors import Conflict, Problems, Refused
from zax.core.x12.describe import describe
from zax.core.x12.syntax import read
from zax.desk.acts.transaction import Desk
from zax.desk.claims.sending import send_ready
from zax.desk.claims.status import ask_payer
from zax.desk.claims.thread import bill_next_plan, bill_next_plan_from_paper, correct_claim, void_claim
from zax.desk.claims.worklist import worklist
from zax.desk.day.checkout import finish_checkout
from zax.desk.remits.importing import import_file
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside, OutsideTrouble
from zax.web.money.documents import receipt_pdf


def sent(desk: Desk, outside: Outside, *claims: int) -> int:
    """The file that these claims went out in."""
    made = send_ready(desk, ODILE, None, list(claims))
    run_once(desk, outside, receipt_pdf)
    assert len(made.file_ids) == 1
    return made.file_ids[0]


def number_of(desk: Desk, claim: int) -> str:
    return str(scalar(desk, "SELECT number FROM claim WHERE id = :id", id=claim))


def refusal(desk: Desk, file_id: int, *errors: str) -> str:
    body = [f"AK1*HC*{file_id}*005010X224A2", f"AK2*837*{file_id:09d}*005010X224A2", *errors]
    return envelope("999", "FA", "005010X231A1", [*body, "IK5*R*5", "AK9*R*1*1*0"])


def status(*claims: tuple[str, str], payer: str = "HARBOR GUILD DENTAL") -> str:
    """A 277CA that says (claim number, STC01) of each."""
    body = [
        "BHT*0085*08*1*20261124*0800*TH",
        "HL*1**20*1",
        f"NM1*PR*2*{payer}*****PI*HGD01",
        "HL*2*1*21*1",
        "NM1*41*2*JUNIPER*****46*J",
        "TRN*2*17",
        "STC*A1:19:PR*20261124*WQ*1",
        "HL*3*2*19*1",
        "NM1*85*2*JUNIPER*****XX*1467560003",
    ]
    for at, (number, said) in enumerate(claims, 4):
        body += [f"HL*{at}*3*PT", "NM1*QC*1*V*H", f"TRN*2*{number}", f"STC*{said}*20261124*WQ*286"]
        body.append(f"REF*1K*PC-{number}")
    return envelope("277", "HN", "005010X214", body)


def test_only_the_claim_at_fault_comes_back_from_a_rejected_file(desk: Desk, outside: Outside) -> None:
    good, bad = finished(desk), finished(desk, start="15:00", first="Iris")
    file_id = sent(desk, outside, good, bad)
    rows = sent_text(desk).splitlines()
    at = [n for n, row in enumerate(rows) if row.startswith("NM1*IL")][1] - 1
    import_file(desk, ODILE, "a.999", refusal(desk, file_id, f"IK3*NM1*{at}*2010*8", "IK4*9*67*4*M"))
    assert (state(desk, good), state(desk, bad)) == ("ready", "rejected")
    assert "subscriber.member_id" in abouts(desk, bad)
    assert "too short: M" in str(scalar(desk, "SELECT findings FROM claim WHERE id = :id", id=bad))
    assert scalar(desk, "SELECT outcome FROM x12_file WHERE id = :id", id=file_id).startswith("rejected")
    assert send_ready(desk, ODILE).claims == 1  # the other goes again, without anyone's doing


def test_a_file_rejected_for_no_claims_fault_brings_all_of_it_back(desk: Desk, outside: Outside) -> None:
    claims = [finished(desk), finished(desk, start="15:00", first="Iris")]
    file_id = sent(desk, outside, *claims)
    import_file(desk, ODILE, "a.999", refusal(desk, file_id))
    assert {state(desk, claim) for claim in claims} == {"rejected"}


def test_an_interchange_turned_away_brings_its_claims_back(desk: Desk, outside: Outside) -> None:
    claim = finished(desk)
    file_id = sent(desk, outside, claim)
    frame = envelope("999", "FA", "005010X231A1", [])
    isa = frame[: frame.index("GS*")]
    ta1 = f"{isa}TA1*{file_id:09d}*261124*0800*R*025~IEA*0*000000900~"
    done = import_file(desk, ODILE, "a.ta1", ta1)
    assert state(desk, claim) == "rejected" and "control number was used before" in done.words
    unknown = ta1.replace(f"TA1*{file_id:09d}", "TA1*000004711")
    assert import_file(desk, ODILE, "b.ta1", unknown).for_a_person == 1


def test_a_claim_is_taken_or_rejected_by_itself(desk: Desk, outside: Outside) -> None:
    good, bad = finished(desk), finished(desk, start="15:00", first="Iris")
    sent(desk, outside, good, bad)
    said = status(
        (number_of(desk, good), "A2:20:PR"), (number_of(desk, bad), "A7:158:QC"), ("C999999", "A2:20")
    )
    done = import_file(desk, ODILE, "a.277", said)
    assert done.for_a_person == 2 and "2 need review" in done.words
    assert (state(desk, good), state(desk, bad)) == ("accepted", "rejected")
    assert (
        scalar(desk, "SELECT payer_claim FROM claim WHERE id = :id", id=good) == f"PC-{number_of(desk, good)}"
    )
    assert abouts(desk, bad)[0] == "patient.birth"


def test_word_that_contradicts_an_answer_changes_nothing_and_is_said(desk: Desk, outside: Outside) -> None:
    claim = finished(desk)
    sent(desk, outside, claim)
    line = scalar(desk, "SELECT line_id FROM claim_line")
    import_file(desk, ODILE, "p.835", answer(number_of(desk, claim), line))
    assert state(desk, claim) == "closed"
    before = scalar(desk, "SELECT COUNT(*) FROM journal")
    done = import_file(desk, ODILE, "a.277", status((number_of(desk, claim), "A7:158:QC")))
    assert done.for_a_person == 1 and state(desk, claim) == "closed"
    assert scalar(desk, "SELECT COUNT(*) FROM journal") == before
    assert "has moved on" in str(scalar(desk, "SELECT words FROM claim_event ORDER BY id DESC LIMIT 1"))


ANSWER = [
    "BHT*0010*08*1*20261124*0800*DG",
    "HL*1**20*1",
    "NM1*PR*2*HARBOR GUILD DENTAL*****PI*HGD01",
    "HL*2*1*21*1",
    "NM1*41*2*JUNIPER*****46*J",
    "HL*3*2*19*1",
    "NM1*1P*2*JUNIPER*****XX*1467560003",
    "HL*4*3*22*0",
    "NM1*IL*1*V*H****MI*M1",
]


def test_the_worker_asks_how_a_claim_stands_and_takes_the_answer(desk: Desk, outside: Outside) -> None:
    claim = finished(desk)
    with pytest.raises(Conflict, match="with its payer"):
        ask_payer(desk, ODILE, claim)
    sent(desk, outside, claim)
    house = outside.clearinghouse
    assert isinstance(house, FakeClearinghouse)
    house.answers = [
        OutsideTrouble("no line"),
        envelope(
            "277",
            "HN",
            "005010X212",
            [*ANSWER, f"TRN*2*{number_of(desk, claim)}", "STC*P2:46*20261124**286*0"],
        ),
    ]
    ask_payer(desk, ODILE, claim)
    run_once(desk, outside, receipt_pdf)
    spoil(desk, "UPDATE outbox SET due_at = :now WHERE kind = 'claim_status'", now=desk.clock.now())
    run_once(desk, outside, receipt_pdf)
    assert scalar(desk, "SELECT status FROM claim") == "in review: internal review"
    assert state(desk, claim) == "sent" and len(house.asked) == 2
    assert read(house.asked[1]).transactions[0].kind == "276"
    kept = "SELECT GROUP_CONCAT(DISTINCT kind ORDER BY kind) FROM x12_file"
    assert scalar(desk, kept) == "276,277,837D"


def test_overdue_claims_are_asked_about_by_rule_once_a_week(desk: Desk, outside: Outside) -> None:
    claim = finished(desk)
    sent(desk, outside, claim)
    spoil(desk, "UPDATE claim SET sent_at = :at", at=desk.clock.now() - timedelta(days=60))
    spoil(desk, "DELETE FROM beat")
    run_once(desk, outside, receipt_pdf)
    asked = "SELECT COUNT(*) FROM outbox WHERE kind = 'claim_status'"
    assert scalar(desk, asked) == 1
    spoil(desk, "DELETE FROM beat")
    run_once(desk, outside, receipt_pdf)
    assert scalar(desk, asked) == 1
    spoil(desk, "UPDATE claim SET asked_at = :at", at=desk.clock.now() - timedelta(days=8))
    spoil(desk, "DELETE FROM beat")
    run_once(desk, outside, receipt_pdf)
    assert scalar(desk, asked) == 2


def valid_by_pyx12(file: str) -> bool:
    return bool(pyx12.x12n_document.x12n_document(pyx12.params.params(), io.StringIO(file), None, None))


def test_the_second_plan_is_asked_with_what_the_first_decided(desk: Desk, outside: Outside) -> None:
    visit = visit_at_checkout(desk, with_second_plan(desk), dental=True)
    finish_checkout(desk, JUNO, visit)
    first = int(scalar(desk, "SELECT id FROM claim"))
    sent(desk, outside, first)
    line = scalar(desk, "SELECT line_id FROM claim_line")
    paid = answer(number_of(desk, first), line, paid="182.7", cas="CAS*PR*1*25**2*78.3")
    import_file(desk, ODILE, "p.835", paid)
    with desk.engine.connect() as connection:
        assert [group.need for group in worklist(connection, TODAY).groups] == ["send"]  # made by itself
    second = bill_next_plan(desk, ODILE, first)
    assert bill_next_plan(desk, ODILE, first) == second
    assert abouts(desk, second) == [] and state(desk, second) == "ready"
    with desk.engine.connect() as connection:
        assert [group.need for group in worklist(connection, TODAY).groups] == ["send"]
    sent(desk, outside, second)
    file = sent_text(desk)
    assert "SBR*S*18*" in file and "SBR*P*18*G1******CI~" in file
    assert "AMT*D*182.7~" in file and "AMT*EAF*103.3~" in file
    assert "SVD*BDT01*182.7*AD:D2392**1~\nCAS*PR*1*25**2*78.3~\nDTP*573*D8*20261202~" in file
    (asked,) = describe(file)["transactions"][0]["claims"]
    assert (asked["rank"], asked["payer"]) == ("S", "HARBOR GUILD DENTAL")


def test_what_the_first_plan_decided_on_paper_is_typed_in_for_the_second(
    desk: Desk, outside: Outside
) -> None:
    visit = visit_at_checkout(desk, with_second_plan(desk), dental=True)
    finish_checkout(desk, JUNO, visit)
    first = int(scalar(desk, "SELECT id FROM claim"))
    typed = {"decided": "2026-11-20", "payer_claim": "BD-7", "paid-1": "182.70", "deductible-1": "25"}
    with pytest.raises(Conflict, match="doesn’t have this claim yet"):
        bill_next_plan_from_paper(desk, ODILE, first, typed)
    sent(desk, outside, first)
    before = scalar(desk, "SELECT COUNT(*) FROM journal")
    with pytest.raises(Problems, match="is missing"):
        bill_next_plan_from_paper(desk, ODILE, first, typed)
    second = bill_next_plan_from_paper(desk, ODILE, first, typed | {"coinsurance-1": "78.30"})
    assert bill_next_plan_from_paper(desk, ODILE, first, {}) == second == bill_next_plan(desk, ODILE, first)
    assert scalar(desk, "SELECT COUNT(*) FROM journal") == before  # its money comes with the payment
    sent(desk, outside, second)
    file = sent_text(desk)
    assert "AMT*D*182.7~" in file and "AMT*EAF*103.3~" in file
    assert "SVD*BDT01*182.7*AD:D2392**1~\nCAS*PR*1*25**2*78.3~\nDTP*573*D8*20261120~" in file


def test_a_medical_second_claim_passes_the_full_map(desk: Desk, outside: Outside) -> None:
    patient = add_patient(desk, 4)
    spoil(
        desk,
        "INSERT INTO coverage (patient_id, plan_id, subscriber_id, member_id, group_number, `rank`) SELECT"
        " patient_id, 3, subscriber_id, 'NM-9', 'G2', 2 FROM coverage",
    )
    visit = visit_at_checkout(desk, patient)
    finish_checkout(desk, JUNO, visit)
    first = int(scalar(desk, "SELECT id FROM claim"))
    sent(desk, outside, first)
    line = scalar(desk, "SELECT line_id FROM claim_line")
    number, charge = number_of(desk, first), scalar(desk, "SELECT cents FROM claim") / 100
    code = describe(sent_text(desk))["transactions"][0]["claims"][0]["lines"][0]["service"]
    paid = answer(
        number, line, service=f"HC:{code}", charge=f"{charge:g}", paid=f"{charge - 30:g}", cas="CAS*PR*2*30"
    )
    import_file(desk, ODILE, "p.835", paid)
    second = bill_next_plan(desk, ODILE, first)
    assert abouts(desk, second) == []
    sent(desk, outside, second)
    assert valid_by_pyx12(sent_text(desk))


def test_without_another_plan_or_its_payment_there_is_no_second_claim(desk: Desk, outside: Outside) -> None:
    alone = finished(desk)
    sent(desk, outside, alone)
    with pytest.raises(Conflict, match="no other plan"):
        bill_next_plan(desk, ODILE, alone)
    visit = visit_at_checkout(desk, with_second_plan(desk), dental=True, start="16:00")
    finish_checkout(desk, JUNO, visit)
    first = int(scalar(desk, "SELECT id FROM claim WHERE visit_id = :id", id=visit))
    with pytest.raises(Refused, match="isn’t on file"):
        bill_next_plan(desk, ODILE, first)


def test_a_corrected_claim_keeps_the_thread_and_names_the_payers_number(desk: Desk, outside: Outside) -> None:
    claim = finished(desk)
    with pytest.raises(Conflict, match="Change it instead"):
        correct_claim(desk, ODILE, claim)
    sent(desk, outside, claim)
    corrected = correct_claim(desk, ODILE, claim)
    assert correct_claim(desk, ODILE, claim) == corrected and state(desk, claim) == "closed"
    assert abouts(desk, corrected) == ["payer_control_number"]  # the payer has not said its number yet
    import_file(desk, ODILE, "a.277", status((number_of(desk, claim), "A2:20:PR")))
    again = correct_claim(desk, ODILE, claim)
    assert again == corrected
    from zax.desk.claims.fixing import fix

    assert fix(desk, ODILE, corrected, "payer_control_number", {"payer_claim": "GD-1"}) is True
    sent(desk, outside, corrected)
    assert ":B:7*Y*A*Y*Y" in sent_text(desk) and "REF*F8*GD-1~" in sent_text(desk)
    assert scalar(desk, "SELECT follows_id FROM claim WHERE id = :id", id=corrected) == claim


def test_a_claim_is_taken_back_by_a_void(desk: Desk, outside: Outside) -> None:
    claim = finished(desk)
    sent(desk, outside, claim)
    import_file(desk, ODILE, "a.277", status((number_of(desk, claim), "A2:20:PR")))
    void = void_claim(desk, ODILE, claim)
    assert abouts(desk, void) == []
    sent(desk, outside, void)
    assert ":B:8*" in sent_text(desk) and f"REF*F8*PC-{number_of(desk, claim)}~" in sent_text(desk)
    with desk.engine.connect() as connection:
        words = [each for (each,) in connection.execute(text("SELECT words FROM claim_event"))]
    assert "Voided" in words and f"Takes back claim {number_of(desk, claim)}" in words
