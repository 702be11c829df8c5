"""A claim from made to sent: fixed in place, kept although it looks odd, batched once, whoever does it at the
same time; against a real MariaDB.
"""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from typing import Any

import pytest
from sqlalchemy import text

from tests.conftest import (
    INES,
    JUNO,
    ODILE,
    SAM,
    TODAY,
    add_patient,
    scalar,
    visit_at_checkout,
)
from tests.fakes import FakeClearinghouse
from zax.core.claims.finding import Strength
from zax.core.claims.worklist import Need
from zax.core.errors import Conflict, NotAllowed, Problems, Refused, ZaxError
from zax.core.x12.describe import describe
from zax.desk.acts.transaction import Desk
from zax.desk.claims.claim_page import claim_page
from zax.desk.claims.claims import recheck, send_anyway
from zax.desk.claims.fixing import carry_subject, fix
from zax.desk.claims.following import ask_again_on, close_claim, hand_over, note_on
from zax.desk.claims.norms import set_norm
from zax.desk.claims.rule_trial import try_rule
from zax.desk.claims.rules import read_rule, save_rule
from zax.desk.claims.sending import send_ready
from zax.desk.claims.worklist import one_row, worklist
from zax.desk.day.checkout import finish_checkout, take_checkout_back
from zax.desk.worker.worker import run_once
from zax.outside.doors import Outside
from zax.web.money.documents import receipt_pdf

RULE = {
    "field": "note",
    "condition": "given",
    "strength": "odd",
    "sentence": "Guild wants a note.",
    "codes": "D23*",
    "active": "yes",
}


def finished(desk: Desk, dental: bool = True, plan_id: int = 1, start: str = "14:00", **patient: Any) -> int:
    """A claim of a finished visit."""
    visit = visit_at_checkout(desk, add_patient(desk, plan_id, **patient), dental=dental, start=start)
    finish_checkout(desk, JUNO, visit)
    return int(scalar(desk, "SELECT id FROM claim WHERE visit_id = :id", id=visit))


def state(desk: Desk, claim: int) -> str:
    return str(scalar(desk, "SELECT state FROM claim WHERE id = :id", id=claim))


def abouts(desk: Desk, claim: int) -> list[str]:
    with desk.engine.connect() as connection:
        shown = claim_page(connection, desk.clinic, claim, TODAY)
    return [each.finding.about for each in (*shown.stops, *shown.odd)]


def sent_text(desk: Desk) -> str:
    return str(scalar(desk, "SELECT text FROM x12_file WHERE direction = 'out' ORDER BY id DESC LIMIT 1"))


def spoil(desk: Desk, statement: str, **values: Any) -> None:
    with desk.engine.begin() as connection:
        connection.execute(text(statement), values)


def test_a_finished_visit_is_a_claim_that_waits_for_the_batch(desk: Desk, outside: Outside) -> None:
    claim = finished(desk)
    run_once(desk, outside, receipt_pdf)
    assert state(desk, claim) == "ready"
    assert isinstance(outside.clearinghouse, FakeClearinghouse) and not outside.clearinghouse.delivered
    sent = send_ready(desk, ODILE)
    assert (sent.claims, sent.cents, len(sent.file_ids)) == (1, 28600, 1)
    assert sent.words == "1 claim on the way, $286.00."
    assert state(desk, claim) == "going"
    run_once(desk, outside, receipt_pdf)
    assert state(desk, claim) == "sent" and len(outside.clearinghouse.delivered) == 1
    assert send_ready(desk, ODILE).words == "Nothing is ready to send."


def test_one_file_a_form_and_every_claim_in_one_file(desk: Desk) -> None:
    for n, dental in enumerate((True, False, True)):
        finished(desk, dental, 1 if dental else 4, f"{13 + n}:00", first=f"P{n}")
    sent = send_ready(desk, ODILE)
    files = [str(scalar(desk, "SELECT text FROM x12_file WHERE id = :id", id=n)) for n in sent.file_ids]
    found = [describe(each)["transactions"][0] for each in files]
    assert [(each["form"], len(each["claims"])) for each in found] == [("P", 1), ("D", 2)]
    controls = [each["number"] for file in found for each in file["claims"]]
    assert len(set(controls)) == 3


def test_two_who_send_at_once_send_every_claim_once(desk: Desk) -> None:
    for n in range(4):
        finished(desk, start=f"{13 + n}:00", first=f"P{n}")
    together = threading.Barrier(4)

    def one(_: int) -> int:
        together.wait()
        return send_ready(desk, ODILE).claims

    with ThreadPoolExecutor(4) as pool:
        assert sum(pool.map(one, range(4))) == 4
    assert scalar(desk, "SELECT COUNT(*) FROM claim WHERE state = 'going'") == 4
    in_files = "SELECT COUNT(*) FROM claim_event WHERE file_id IS NOT NULL"
    assert scalar(desk, in_files) == 4


def test_what_changed_since_it_was_checked_is_held_back_at_the_last_moment(desk: Desk) -> None:
    good, bad = finished(desk), finished(desk, start="15:00", first="Iris")
    spoil(desk, "UPDATE patient SET birth = NULL WHERE first = 'Iris'")
    sent = send_ready(desk, ODILE)
    assert (sent.claims, sent.held_back) == (1, 1) and "1 held back after all" in sent.words
    assert (state(desk, good), state(desk, bad)) == ("going", "held_back")
    assert abouts(desk, bad) == ["patient.birth"]


@pytest.mark.parametrize(
    ("patient", "about", "typed", "kept", "value"),
    [
        ({"birth": None}, "patient.birth", {"birth": "3/4/1990"}, "patient.birth", "1990-03-04"),
        ({"sex": ""}, "patient.sex", {"sex": "F"}, "patient.sex", "F"),
        (
            {"street": ""},
            "patient.address",
            {"street": "4 Gull Close", "city": "Marrow Harbor", "state": "WA", "zip": "98201"},
            "patient.street",
            "4 Gull Close",
        ),
    ],
)
def test_a_stop_of_the_record_is_fixed_in_place(
    desk: Desk, patient: dict[str, Any], about: str, typed: dict[str, str], kept: str, value: str
) -> None:
    claim = finished(desk, **patient)
    assert abouts(desk, claim) == [about] and state(desk, claim) == "held_back"
    assert fix(desk, ODILE, claim, about, typed) is True
    table, column = kept.split(".")
    assert str(scalar(desk, f"SELECT {column} FROM {table} ORDER BY id DESC LIMIT 1")) == value
    assert state(desk, claim) == "ready"
    assert "patient.changed" in str(scalar(desk, "SELECT GROUP_CONCAT(act) FROM audit"))


def test_the_card_is_fixed_in_place(desk: Desk) -> None:
    claim = finished(desk)
    spoil(desk, "UPDATE coverage SET member_id = ''")
    assert recheck(desk, ODILE, claim) is False and abouts(desk, claim) == ["subscriber.member_id"]
    with pytest.raises(ZaxError) as wrong:
        fix(desk, ODILE, claim, "subscriber.member_id", {"member_id": " "})
    assert "member_id" in wrong.value.problems
    assert fix(desk, ODILE, claim, "subscriber.member_id", {"member_id": "HG-777"}) is True
    assert scalar(desk, "SELECT member_key FROM coverage") == "HG777"


def test_what_a_charge_says_is_fixed_after_the_checkout_and_its_money_stays(desk: Desk) -> None:
    claim = finished(desk)
    before = scalar(desk, "SELECT SUM(patient_cents + insurer_cents) FROM journal")
    spoil(desk, "UPDATE charge_line SET surfaces = '' WHERE tooth = '14'")
    assert recheck(desk, ODILE, claim) is False and abouts(desk, claim) == ["lines.1.surfaces"]
    with pytest.raises(Problems) as wrong:
        fix(desk, ODILE, claim, "lines.1.surfaces", {"surfaces": "M"})
    assert "surfaces" in wrong.value.problems
    assert fix(desk, ODILE, claim, "lines.1.surfaces", {"surfaces": "do"}) is True
    assert scalar(desk, "SELECT surfaces FROM charge_line WHERE tooth = '14'") in {"OD", "DO"}
    assert scalar(desk, "SELECT SUM(patient_cents + insurer_cents) FROM journal") == before


def test_a_diagnosis_is_replaced_wherever_a_service_points_to_it(desk: Desk) -> None:
    claim = finished(desk, dental=False, plan_id=4)
    spoil(desk, "UPDATE visit_diagnosis SET code = 'J02'")
    spoil(desk, """UPDATE charge_line SET points_to = '["J02"]'""")
    assert recheck(desk, ODILE, claim) is False and abouts(desk, claim) == ["diagnoses.1"]
    with pytest.raises(Refused, match="a heading"):
        fix(desk, ODILE, claim, "diagnoses.1", {"diagnosis": "j02"})
    assert fix(desk, ODILE, claim, "diagnoses.1", {"diagnosis": "j02.9"}) is True
    send_ready(desk, ODILE)
    (asked,) = describe(sent_text(desk))["transactions"][0]["claims"]
    assert asked["diagnoses"] == ["J02.9"] and asked["lines"][0]["pointers"] == [1]


def test_what_the_claim_carries_goes_into_its_file(desk: Desk) -> None:
    claim = finished(desk)
    assert carry_subject(desk, ODILE, claim, "authorization", {"authorization": "GA-7"})
    typed = {"accident-kinds": "AA", "accident-day": TODAY.isoformat(), "accident-state": ""}
    assert carry_subject(desk, ODILE, claim, "accident", typed) is False
    assert abouts(desk, claim) == ["accident.state"]
    with pytest.raises(Refused, match="Two letters"):
        fix(desk, ODILE, claim, "accident.state", {"accident_state": "Washington"})
    assert fix(desk, ODILE, claim, "accident.state", {"accident_state": "wa"}) is True
    send_ready(desk, ODILE)
    file = sent_text(desk)
    assert "REF*G1*GA-7~" in file and "*AA:::WA~" in file and f"DTP*439*D8*{TODAY:%Y%m%d}~" in file
    with pytest.raises(Conflict, match="on its way"):
        carry_subject(desk, ODILE, claim, "authorization", {"authorization": ""})


def test_what_looks_odd_goes_with_a_reason_and_only_as_long_as_it_is_the_same(desk: Desk) -> None:
    claim = finished(desk)
    save_rule(desk, ODILE, 0, RULE)
    assert recheck(desk, ODILE, claim) is False
    with pytest.raises(Refused, match="Say why"):
        send_anyway(desk, ODILE, claim, "payer-asks-about", "note", " ")
    assert send_anyway(desk, ODILE, claim, "payer-asks-about", "note", "they called") is True
    assert "they called" in str(scalar(desk, "SELECT kept FROM claim"))
    assert recheck(desk, ODILE, claim) is True
    rule = scalar(desk, "SELECT id FROM payer_rule")
    save_rule(desk, ODILE, rule, RULE | {"sentence": "Guild wants a longer note."})
    assert recheck(desk, ODILE, claim) is False  # it says something else now
    save_rule(desk, ODILE, rule, RULE | {"strength": "stop"})
    assert recheck(desk, ODILE, claim) is False
    with pytest.raises(Refused, match="has to be fixed"):
        send_anyway(desk, ODILE, claim, "payer-rejects", "note", "because")
    assert fix(desk, ODILE, claim, "note", {"note": "Fractured cusp"}) is True


def test_a_rule_is_tried_on_a_claim_before_it_is_saved(desk: Desk) -> None:
    claim = finished(desk)
    number = scalar(desk, "SELECT number FROM claim WHERE id = :id", id=claim)
    with desk.engine.connect() as connection:
        assert try_rule(connection, desk.clinic, read_rule(RULE), number, TODAY) == ["note"]
        other = read_rule(RULE | {"codes": "D27*"})
        assert try_rule(connection, desk.clinic, other, number.lower(), TODAY) == []
        with pytest.raises(Refused, match="no claim of that number"):
            try_rule(connection, desk.clinic, other, "C999999", TODAY)
    assert recheck(desk, ODILE, claim) is True
    for wrong, field in (
        ({"field": ""}, "field"),
        ({"codes": "D2X!"}, "codes"),
        ({"sentence": ""}, "sentence"),
    ):
        with pytest.raises(Refused) as refused:
            save_rule(desk, ODILE, 0, RULE | wrong)
        assert set(refused.value.problems) == {field}


def test_a_finding_somebody_fixed_in_between_cannot_be_kept(desk: Desk) -> None:
    claim = finished(desk, sex="")
    with pytest.raises(Conflict, match="in the meantime"):
        send_anyway(desk, ODILE, claim, "not-there", "note", "because")
    with pytest.raises(NotAllowed):
        fix(desk, JUNO, claim, "patient.sex", {"sex": "F"})
    assert Strength(scalar(desk, "SELECT JSON_VALUE(findings, '$[0].strength') FROM claim")) == Strength.STOP


def test_every_open_claim_stands_once_on_the_list_and_the_sums_agree(desk: Desk) -> None:
    finished(desk)
    held = finished(desk, start="15:00", first="Iris", sex="")
    out = finished(desk, start="16:00", first="Otis")
    send_ready(desk, ODILE, None, [out])
    spoil(
        desk,
        "UPDATE claim SET state = 'accepted', sent_at = :at WHERE id = :id",
        id=out,
        at=desk.clock.now() - timedelta(days=40),
    )
    with desk.engine.connect() as connection:
        view = worklist(connection, TODAY)
        rows = {each.claim.id: group.need for group in view.groups for each in group.rows}
    assert {group.need: (group.number, group.cents) for group in view.groups} == {
        Need.FIX: (1, 28600),
        Need.SEND: (1, 28600),
        Need.OVERDUE: (1, 28600),
    }
    assert rows[held] == Need.FIX and rows[out] == Need.OVERDUE
    assert (view.out_number, view.late_number, view.to_work) == (1, 1, 3)
    set_norm(desk, ODILE, 1, "45")
    with desk.engine.connect() as connection:
        assert Need.OVERDUE not in {group.need for group in worklist(connection, TODAY).groups}
    with pytest.raises(Refused):
        set_norm(desk, ODILE, 1, "soon")


def test_a_claim_is_left_until_a_day_handed_over_noted_and_closed(desk: Desk) -> None:
    claim = finished(desk)
    send_ready(desk, ODILE)
    spoil(
        desk, "UPDATE claim SET state = 'accepted', sent_at = :at", at=desk.clock.now() - timedelta(days=60)
    )
    ask_again_on(desk, ODILE, claim, TODAY + timedelta(days=3))
    with desk.engine.connect() as connection:
        row = one_row(connection, claim, TODAY)
        assert row is not None and row.claim.need == Need.WAIT
        later = one_row(connection, claim, TODAY + timedelta(days=3))
        assert later is not None and later.claim.need == Need.OVERDUE
    with pytest.raises(Refused, match="from tomorrow"):
        ask_again_on(desk, ODILE, claim, TODAY)
    for nobody in (JUNO.id, INES.id, 999):
        with pytest.raises(Refused, match="someone from the list"):
            hand_over(desk, ODILE, claim, nobody)
    hand_over(desk, ODILE, claim, SAM.id)
    note_on(desk, ODILE, claim, "Spoke to Dana: two more weeks.")
    for words in ("", "x" * 401):
        with pytest.raises(Refused):
            note_on(desk, ODILE, claim, words)
    with pytest.raises(Refused, match="Say why"):
        close_claim(desk, ODILE, claim, " ")
    before = scalar(desk, "SELECT SUM(insurer_cents) FROM journal")
    close_claim(desk, ODILE, claim, "the patient pays")
    assert state(desk, claim) == "closed" and scalar(desk, "SELECT SUM(insurer_cents) FROM journal") == before
    with pytest.raises(Conflict, match="closed already"):
        close_claim(desk, ODILE, claim, "again")
    life = str(scalar(desk, "SELECT GROUP_CONCAT(words ORDER BY id SEPARATOR ' | ') FROM claim_event"))
    assert "Ask again on" in life and "Handed to" in life and "Dana" in life and "Closed: the patient" in life


def test_what_came_to_look_odd_since_it_was_checked_stays_here(desk: Desk) -> None:
    claim = finished(desk)
    assert state(desk, claim) == "ready"
    save_rule(desk, ODILE, 0, RULE | {"payer_id": "1"})
    sent = send_ready(desk, ODILE)
    assert (sent.claims, sent.held_back) == (0, 1)
    assert state(desk, claim) == "held_back" and abouts(desk, claim) == ["note"]


def test_a_checkout_is_taken_back_while_its_claim_waits(desk: Desk) -> None:
    claim = finished(desk)
    visit = scalar(desk, "SELECT visit_id FROM claim")
    take_checkout_back(desk, JUNO, visit, "one more")
    assert state(desk, claim) == "closed"
    finish_checkout(desk, JUNO, visit)
    assert scalar(desk, "SELECT COUNT(*) FROM claim WHERE state = 'ready'") == 1
    assert send_ready(desk, ODILE).claims == 1


def test_the_worker_learns_how_fast_payers_answer(desk: Desk, outside: Outside) -> None:
    claim = finished(desk)
    with desk.engine.begin() as connection:
        for n in range(12):
            connection.execute(
                text(
                    "INSERT INTO claim (number, visit_id, patient_id, coverage_id, form, state, findings,"
                    " made_at, sent_at, answered_at) SELECT CONCAT('T', :n), visit_id, patient_id,"
                    " coverage_id, form, 'closed', '[]', made_at, made_at, made_at + INTERVAL :days DAY FROM"
                    " claim WHERE id = :id"
                ),
                {"n": n, "id": claim, "days": 8 + n},
            )
    run_once(desk, outside, receipt_pdf)
    assert scalar(desk, "SELECT learned_days FROM payer_norm WHERE payer_id = 1") == 18
