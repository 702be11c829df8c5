"""Charges in full, planned work with options, and checkout on the database: what moves together, and what cannot be done."""

import json
from datetime import date
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import text

from tests.conftest import (
    INES,
    JUNO,
    ODILE,
    SAM,
    TODAY,
    FakeTerminal,
    add_patient,
    order,
    scalar,
    state_of,
    visit_at_checkout,
)  # fmt: skip
from tests.desk.acting import booked, row
from zax.core.charges.teeth import Numbering, show_tooth
from zax.core.errors import Conflict, NotFound, Problems, Refused, Stale
from zax.core.money.journal import balance, faults
from zax.demo.world import SERVICE_ID, TYPE_ID
from zax.desk.arrivals import check_in
from zax.desk.book import book_visit
from zax.desk.charges import LineForm, add_line, add_planned, add_set, change_line
from zax.desk.checkout import counter_of, finish_checkout, take_checkout_back, walked_out, what_stays_open
from zax.desk.claims import claim_data
from zax.desk.credits import open_elsewhere, use_credit
from zax.desk.day import Filter, day_view, desk_lists
from zax.desk.diagnoses import add_diagnosis, make_main, remove_diagnosis
from zax.desk.finishing import back_to_room, ready_for_checkout
from zax.desk.forms import SignForm
from zax.desk.off import take_off
from zax.desk.payments import PayForm, take_payment
from zax.desk.picker import find_hits, take_apart
from zax.desk.planned import plan_service, planned_for
from zax.desk.proposals import (
    PlanForm,
    add_option,
    add_to_option,
    drop_from_option,
    make_proposal,
    move_in_option,
    name_parts,
    proposal_of,
    proposals_of,
    put_away,
    sign_option,
)
from zax.desk.recalls import end_recall, recalls_of
from zax.desk.sheet import sheet_of
from zax.desk.teeth import teeth_of
from zax.desk.track import take_to_room
from zax.desk.unit import Desk, in_transaction
from zax.outside.doors import Sale
from zax.store import money, schema
from zax.store.files import FileStore
from zax.web.papers import attendance_pdf, itemised_pdf, plan_pdf, proposal_paper, receipt_pdf, summary_pdf

SIGNED = SignForm(json.dumps([[[20 + n * 10, 90] for n in range(30)]]), "Helen Vasquez", "for themselves", {}, 0)


def in_room(desk: Desk, patient: int, dental: bool = False, start: str = "14:00") -> int:
    wanted = order(patient, 1, start, "Filling") if dental else order(patient, 5, start, "Sick visit")
    visit_id = book_visit(desk, JUNO, wanted)
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    return visit_id


def lines(desk: Desk, visit_id: int) -> list[Any]:
    with desk.engine.connect() as connection:
        return list(money.visit_lines(connection, visit_id))


def nothing_is_wrong(desk: Desk, visit_id: int) -> bool:
    with desk.engine.connect() as connection:
        return faults(money.visit_entries(connection, visit_id), money.visit_allocations(connection, visit_id)) == []


def patient_open(desk: Desk, visit_id: int) -> int:
    with desk.engine.connect() as connection:
        return balance(money.visit_entries(connection, visit_id)).patient


# --- charges -------------------------------------------------------------------------------------------------------
def test_a_set_brings_what_is_not_there_yet(desk: Desk) -> None:
    visit_id = in_room(desk, add_patient(desk))
    add_line(desk, JUNO, visit_id, SERVICE_ID["36415"])
    made = add_set(desk, JUNO, visit_id, 3)
    assert len(made) == 3 and {desk.clinic.services[each.service_id].code for each in lines(desk, visit_id)} == {
        "99213",
        "36415",
        "99396",
        "93000",
        "81002",
    }
    with pytest.raises(Refused, match="on the visit already"):
        add_set(desk, JUNO, visit_id, 3)
    with pytest.raises(Refused, match="dental service"):
        add_set(desk, JUNO, visit_id, 1)
    with pytest.raises(Refused, match="a set from the list"):
        add_set(desk, JUNO, visit_id, 99)


def test_a_form_filled_in_for_somebody_else_charges_nobody(desk: Desk) -> None:
    mine, other = add_patient(desk), add_patient(desk, first="Iris")
    visit_id = in_room(desk, mine)
    for work in (
        lambda: add_line(desk, JUNO, visit_id, SERVICE_ID["36415"], patient_id=other), lambda: add_set(desk, JUNO, visit_id, 3, other),
        lambda: add_diagnosis(desk, JUNO, visit_id, "I10", other), lambda: ready_for_checkout(desk, JUNO, visit_id, patient_id=other),
        lambda: change_line(desk, JUNO, visit_id, lines(desk, visit_id)[0].id, LineForm(), other),
    ):  # fmt: skip
        with pytest.raises(Stale, match="Helen Vasquez’s now"):
            work()
    assert len(lines(desk, visit_id)) == 1
    plan_service(desk, JUNO, other, SERVICE_ID["36415"], "", "")
    planned = scalar(desk, "SELECT id FROM planned_service")
    with pytest.raises(NotFound, match="no such planned"):
        add_planned(desk, JUNO, visit_id, planned)


def test_planned_work_done_today_moves_with_its_visit_and_back(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    plan_service(desk, JUNO, patient, SERVICE_ID["D2740"], "3", "")
    visit_id = in_room(desk, patient, dental=True)
    planned = scalar(desk, "SELECT id FROM planned_service")
    add_planned(desk, JUNO, visit_id, planned)
    with pytest.raises(Conflict, match="done, booked or taken away"):
        add_planned(desk, JUNO, visit_id, planned)
    change_line(desk, JUNO, visit_id, lines(desk, visit_id)[0].id, LineForm("1", "14", "MO"))
    ready_for_checkout(desk, INES, visit_id)
    finish_checkout(desk, JUNO, visit_id)
    state = "SELECT CONCAT(v.state, '-', p.done_at IS NOT NULL, '-', (SELECT COUNT(*) FROM claim c WHERE c.visit_id = v.id AND c.state <> 'closed'), '-', (SELECT SUM(patient_cents + insurer_cents) FROM journal j WHERE j.visit_id = v.id)) FROM visit v JOIN planned_service p ON p.visit_id = v.id"
    assert scalar(desk, state) == "left-1-1-146600"
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE claim SET state = 'held_back'"))
    take_checkout_back(desk, SAM, visit_id, "the wrong tooth")
    back_to_room(desk, SAM, visit_id, "the wrong tooth")
    assert scalar(desk, state) == "room-0-0-0" and nothing_is_wrong(desk, visit_id)


def test_modifiers_pointers_people_and_place_reach_the_claim(desk: Desk) -> None:
    visit_id = in_room(desk, add_patient(desk, 4))
    for code in ("J02.9", "R05.1", "I10"):
        add_diagnosis(desk, INES, visit_id, code)
    swab = add_line(desk, INES, visit_id, SERVICE_ID["87880"])
    office = lines(desk, visit_id)[0].id
    change_line(
        desk, INES, visit_id, office, LineForm("1", modifiers="25", pointers="CA", place="10", supervising_id=6)
    )
    change_line(desk, INES, visit_id, swab, LineForm("2", provider_id=6))
    make_main(desk, INES, visit_id, "R05.1")
    ready_for_checkout(desk, INES, visit_id)
    finish_checkout(desk, JUNO, visit_id)

    def said(unit: Any) -> Any:
        claim = unit.one(schema.claim.select())
        return claim_data(unit, claim, row(desk, visit_id))

    claim = in_transaction(desk, ODILE, said)
    one, two = claim.lines
    assert claim.diagnoses == ("R05.1", "J02.9", "I10") and claim.place_of_service == "10"
    assert (one.modifiers, one.pointers, one.place, one.supervising.last) == (("25",), (3, 2), "", "Ferro")
    assert (two.units, two.pointers, two.place, two.rendering.last) == (2, (1, 2, 3), "11", "Ferro")
    file = scalar(desk, "SELECT text FROM x12_file WHERE direction = 'out'")
    assert (
        "SV1*HC:99213:25*128*UN*1***3:2~" in file
        and "NM1*DQ*1*FERRO*NADIA****XX*1467560052~" in file
        and "CLM*C" in file
        and "*10:B:1*" in file
    )


def test_a_diagnosis_taken_off_leaves_no_line_pointing_to_it(desk: Desk) -> None:
    visit_id = in_room(desk, add_patient(desk))
    for code in ("J02.9", "I10"):
        add_diagnosis(desk, INES, visit_id, code)
    office = lines(desk, visit_id)[0].id
    change_line(desk, INES, visit_id, office, LineForm(pointers="BA"))
    remove_diagnosis(desk, INES, visit_id, "I10")
    assert lines(desk, visit_id)[0].points_to == ["J02.9"]
    with pytest.raises(Refused, match="not on this visit"):
        make_main(desk, INES, visit_id, "I10")
    with pytest.raises(Refused, match="heading"):
        add_diagnosis(desk, INES, visit_id, "J02")


def test_another_fee_needs_the_right_and_a_reason(desk: Desk) -> None:
    visit_id = in_room(desk, add_patient(desk))
    line = lines(desk, visit_id)[0].id
    with pytest.raises(Problems, match="Front desk may not"):
        change_line(desk, JUNO, visit_id, line, LineForm(fee="100"))
    with pytest.raises(Problems) as wrong:
        change_line(desk, ODILE, visit_id, line, LineForm(fee="100"))
    assert set(wrong.value.problems) == {"fee_why"}
    change_line(desk, ODILE, visit_id, line, LineForm(fee="100", fee_why="staff rate"))
    kept = lines(desk, visit_id)[0]
    assert (kept.fee_cents, kept.fee_why, kept.fee_by) == (10_000, "staff rate", ODILE.id)
    change_line(desk, JUNO, visit_id, line, LineForm(fee="100", fee_why="staff rate", modifiers="25"))
    change_line(desk, JUNO, visit_id, line, LineForm())  # back to the schedule is anybody's
    assert (lines(desk, visit_id)[0].fee_cents, lines(desk, visit_id)[0].fee_why) == (12_800, "")


@pytest.mark.parametrize(
    ("form", "field"),
    [
        (LineForm(modifiers="25 25"), "modifiers"), (LineForm(pointers="B"), "pointers"), (LineForm(place="99"), "place"), (LineForm(provider_id=1), "provider_id"),
        (LineForm(supervising_id=5), "supervising_id"), (LineForm(units="0"), "units"), (LineForm(fee="x"), "fee"), (LineForm(tooth="14"), "tooth"),
    ],
)  # fmt: skip
def test_what_is_wrong_on_a_line_is_told_at_its_field(desk: Desk, form: LineForm, field: str) -> None:
    visit_id = in_room(desk, add_patient(desk))
    with pytest.raises(Problems) as wrong:
        change_line(desk, ODILE, visit_id, lines(desk, visit_id)[0].id, form)
    assert set(wrong.value.problems) == {field}


def test_retired_codes_and_teeth_that_do_not_fit_are_refused(desk: Desk) -> None:
    visit_id = in_room(desk, add_patient(desk), dental=True)
    with pytest.raises(Refused, match="retired on 1 Jan 2013"):
        add_line(desk, JUNO, visit_id, SERVICE_ID["D1204"])
    with pytest.raises(Problems, match="primary teeth"):
        add_line(desk, JUNO, visit_id, SERVICE_ID["D2930"], LineForm(tooth="14"))
    quarter = add_line(desk, JUNO, visit_id, SERVICE_ID["D4341"])
    change_line(desk, JUNO, visit_id, lines(desk, visit_id)[0].id, LineForm("1", "14", "MO"))
    with pytest.raises(Refused, match="D4341 needs its quadrant"):
        ready_for_checkout(desk, JUNO, visit_id)
    change_line(desk, JUNO, visit_id, quarter, LineForm(area="30"))
    ready_for_checkout(desk, JUNO, visit_id)
    assert lines(desk, visit_id)[1].area == "30"


def test_the_one_box_takes_a_tooth_before_the_words(desk: Desk) -> None:
    typed = take_apart("14 mo fillng", Numbering.UNIVERSAL)
    assert (typed.tooth, typed.surfaces, typed.words) == ("14", "MO", "fillng")
    assert (
        take_apart("26 crown", Numbering.FDI).tooth == "14"
        and take_apart("99213", Numbering.UNIVERSAL).words == "99213"
    )
    assert (
        take_apart("A do x", Numbering.UNIVERSAL).tooth == "A"
        and take_apart("crown", Numbering.UNIVERSAL).words == "crown"
    )

    def hits(words: str, dental: bool = True) -> list[str]:
        found = find_hits(
            desk.clinic,
            take_apart(words, Numbering.UNIVERSAL),
            dental,
            TODAY,
            [],
            lambda n: show_tooth(n, Numbering.UNIVERSAL),
        )
        return [hit.code for hit in found]

    assert hits("14 mo fillng")[:1] == ["D2330"] and "D2392" in hits("14 mo fillng")
    assert (
        hits("recall")[0] == "set"
        and hits("D1204") == []
        and hits("throat", dental=False)[:1] == ["87880"]
        and hits("") == []
    )


def test_the_picture_knows_what_was_done_planned_and_lost(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    past = visit_at_checkout(desk, patient, dental=True, start="13:00")
    plan_service(desk, JUNO, patient, SERVICE_ID["D2740"], "3", "")
    now = in_room(desk, patient, dental=True, start="15:00")
    change_line(desk, JUNO, now, lines(desk, now)[0].id, LineForm("1", "30", "OD"))
    with desk.engine.connect() as connection:
        found = teeth_of(
            connection,
            desk.clinic,
            patient,
            now,
            money.visit_lines(connection, now),
            planned_for(connection, patient),
        )
    assert (found["14"].earlier, found["3"].planned, set(found["30"].today)) == (True, True, {"O", "D"}) and past


# --- planned work --------------------------------------------------------------------------------------------------
def offered(desk: Desk, patient: int) -> int:
    made = make_proposal(desk, INES, patient, "Upper left", 1)
    name_parts(desk, INES, made, {"A": "Crown"}, [("Now", "0"), ("Next year", "2"), ("", "9")], 1)
    for code, phase, tooth, surfaces in (("D2740", 1, "14", ""), ("D2740", 1, "3", ""), ("D2740", 2, "19", "")):
        add_to_option(desk, INES, made, PlanForm(SERVICE_ID[code], "A", phase, tooth, surfaces))
    return made


def view(desk: Desk, proposal_id: int) -> Any:
    with desk.engine.connect() as connection:
        return proposal_of(connection, desk.clinic, proposal_id, desk.clock.now())


def test_options_carry_the_maximum_from_line_to_line_and_year_to_year(desk: Desk) -> None:
    made = offered(desk, add_patient(desk, 1))
    assert add_option(desk, INES, made, "A") == "B"
    option_a, option_b = view(desk, made).options
    parts = [[(line.estimate.fee, line.estimate.insurer) for line in phase.lines] for phase in option_a.phases]
    # 50 percent, the deductible of 50.00 once a year; the yearly maximum of 2,500.00 is not reached.
    assert parts == [[(118_000, 56_500), (118_000, 59_000)], [(118_000, 56_500)]]
    assert (
        option_a.total("fee")
        == option_a.total("insurer") + option_a.total("patient") + option_a.total("write_off")
        == 354_000
    )
    assert option_b.total("patient") == option_a.total("patient") and option_b.count == 3
    first = option_b.phases[0].lines[0].row.id
    move_in_option(desk, INES, made, first, 2)
    drop_from_option(desk, INES, made, option_b.phases[0].lines[1].row.id)
    option_b = view(desk, made).options[1]
    assert [len(phase.lines) for phase in option_b.phases] == [0, 2]
    assert option_b.phases[1].lines[0].estimate.insurer == 56_500  # January is another benefit year


def test_one_option_is_signed_and_only_it_can_be_booked(desk: Desk, tmp_path: Path) -> None:
    patient = add_patient(desk, 1)
    made, store = offered(desk, patient), FileStore(tmp_path)
    add_option(desk, INES, made, "A")
    with desk.engine.connect() as connection:
        assert planned_for(connection, patient) == []
    with pytest.raises(Stale):
        sign_option(desk, INES, store, proposal_paper, made, "A", SIGNED, 1)
    version = view(desk, made).row.version
    signing = SignForm(SIGNED.strokes, SIGNED.signer, SIGNED.relation, {}, version)
    with pytest.raises(Refused, match="which option"):
        sign_option(desk, INES, store, proposal_paper, made, "C", signing, 1)
    signed = sign_option(desk, INES, store, proposal_paper, made, "A", signing, 1)
    shown = view(desk, made)
    assert shown.row.signed_option == "A" and not shown.open and shown.signed.id == signed
    assert shown.signed.answers == {
        "option": "A",
        "fee": 354_000,
        "insurer": 172_000,
        "write_off": 0,
        "patient": 182_000,
    }
    with desk.engine.connect() as connection:
        waiting = planned_for(connection, patient)
    assert [each.option_letter for each in waiting] == ["A"] * 3
    for work in (
        lambda: add_to_option(desk, INES, made, PlanForm(1, "A", 1)),
        lambda: add_option(desk, INES, made),
        lambda: sign_option(desk, INES, store, proposal_paper, made, "B", signing, 1),
    ):
        with pytest.raises(Conflict, match="signed"):
            work()
    visit_id = book_visit(desk, JUNO, order(patient, 1, "13:00", "Crown prep", planned=(waiting[0].id,)))
    with pytest.raises(Refused, match="visit is booked"):
        put_away(desk, INES, made)
    assert [each.tooth for each in lines(desk, visit_id)] == ["14", ""]


def test_what_is_done_drops_out_and_counts_for_the_rest(desk: Desk, tmp_path: Path) -> None:
    patient = add_patient(desk, 1)
    made = offered(desk, patient)
    signing = SignForm(SIGNED.strokes, SIGNED.signer, SIGNED.relation, {}, view(desk, made).row.version)
    sign_option(desk, INES, FileStore(tmp_path), proposal_paper, made, "A", signing, 1)
    visit_id = in_room(desk, patient, dental=True)
    first = view(desk, made).options[0].phases[0].lines[0].row.id
    add_planned(desk, INES, visit_id, first)
    change_line(desk, INES, visit_id, lines(desk, visit_id)[0].id, LineForm("1", "30", "MO"))
    ready_for_checkout(desk, INES, visit_id)
    phase = view(desk, made).options[0].phases[0]
    assert (phase.done, len(phase.lines)) == (1, 1)
    assert phase.lines[0].estimate.deductible == 0  # today's work used it up


@pytest.mark.parametrize(
    ("form", "field"),
    [
        (PlanForm(SERVICE_ID["D2740"], "A", 1, "A"), "tooth"), (PlanForm(SERVICE_ID["D2392"], "A", 1, "14", "M"), "surfaces"), (PlanForm(SERVICE_ID["D4341"], "A", 1), "area"),
        (PlanForm(SERVICE_ID["99213"], "A", 1), "service"), (PlanForm(SERVICE_ID["D1204"], "A", 1), "service"), (PlanForm(SERVICE_ID["D1110"], "Z", 1), "service"), (PlanForm(9999, "A", 1), "service"),
    ],
)  # fmt: skip
def test_what_cannot_be_planned_is_told_at_its_field(desk: Desk, form: PlanForm, field: str) -> None:
    made = make_proposal(desk, INES, add_patient(desk), "Work", 1)
    with pytest.raises((Problems, Refused)) as wrong:
        add_to_option(desk, INES, made, form)
    assert set(wrong.value.problems) == {field}


def test_a_proposals_words_and_phases_are_checked_and_it_can_be_put_away(desk: Desk) -> None:
    patient = add_patient(desk)
    for name, provider in (("x", 1), ("Work", 99)):
        with pytest.raises(Refused):
            make_proposal(desk, INES, patient, name, provider)
    made = offered(desk, patient)
    version = view(desk, made).row.version
    for phases, words in (
        ([("Now", "3"), ("Then", "1")], "order of time"),
        ([("Now", "x")], "how many months"),
        ([("Now", "0")], "Move the services"),
        ([("", "0")], "Between one"),
    ):
        with pytest.raises(Refused, match=words):
            name_parts(desk, INES, made, {}, phases, version)
    with pytest.raises(Stale):
        name_parts(desk, INES, made, {}, [("Now", "0"), ("Then", "1")], 1)
    add_option(desk, INES, made), add_option(desk, INES, made)
    with pytest.raises(Refused, match="At most 3"):
        add_option(desk, INES, made)
    assert plan_pdf(desk, made).startswith(b"%PDF")
    assert put_away(desk, INES, made) == patient
    with desk.engine.connect() as connection:
        assert proposals_of(connection, patient) == []
    with pytest.raises(NotFound):
        view(desk, 999)


# --- checkout ------------------------------------------------------------------------------------------------------
def counter(desk: Desk, visit_id: int) -> tuple[Any, Any]:
    with desk.engine.connect() as connection:
        sheet = sheet_of(connection, desk.clinic, desk.clock.now(), visit_id)
        return sheet, counter_of(connection, desk.clinic, sheet, desk.clock.now())


def test_one_payment_covers_today_and_earlier_visits_without_losing_a_cent(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    earlier = visit_at_checkout(desk, patient, dental=True, start="13:00")
    finish_checkout(desk, JUNO, earlier)
    today = visit_at_checkout(desk, patient, dental=True, start="15:00")
    sheet, here = counter(desk, today)
    assert [(each.visit_id, each.cents) for each in here.earlier] == [(earlier, 9720)] and here.earlier_due == 9720
    terminal = FakeTerminal()
    total = f"{(sheet.due + 9720) / 100:.2f}"
    taken = take_payment(desk, JUNO, terminal, today, PayForm("card", total, "", "both", (earlier,)))
    again = take_payment(desk, JUNO, terminal, today, PayForm("card", total, "", "both", (earlier,)))
    assert taken == again and terminal.asked == [("both", sheet.due + 9720)]
    assert patient_open(desk, today) == patient_open(desk, earlier) == 0
    assert nothing_is_wrong(desk, today) and nothing_is_wrong(desk, earlier)
    assert scalar(desk, "SELECT SUM(cents) FROM payment_part") == sheet.due + 9720
    assert receipt_pdf(desk, today).startswith(b"%PDF") and receipt_pdf(desk, earlier).startswith(b"%PDF")


def test_money_being_clarified_is_reserved_on_every_visit_it_is_for(desk: Desk) -> None:
    patient = add_patient(desk, 1)
    earlier = visit_at_checkout(desk, patient, dental=True, start="13:00")
    finish_checkout(desk, JUNO, earlier)
    today = visit_at_checkout(desk, patient, dental=True, start="15:00")
    sheet, _ = counter(desk, today)
    total = f"{(sheet.due + 9720) / 100:.2f}"
    take_payment(
        desk,
        JUNO,
        FakeTerminal([Sale("unknown", "no answer")]),
        today,
        PayForm("card", total, "", "slow", (earlier,)),
    )
    _, here = counter(desk, today)
    assert here.asked == sheet.due and here.earlier == []
    with pytest.raises(Refused, match="more than the 0.00 due"):
        take_payment(desk, JUNO, FakeTerminal(), earlier, PayForm("cash", "1", "", "other"))


def test_another_households_visit_cannot_be_paid_along(desk: Desk) -> None:
    mine = visit_at_checkout(desk, add_patient(desk), start="14:00")
    other = visit_at_checkout(desk, add_patient(desk, first="Iris"), start="15:00")
    with pytest.raises(Refused, match="another household"):
        take_payment(desk, JUNO, FakeTerminal(), mine, PayForm("cash", "200", "", "k", (other,)))
    assert scalar(desk, "SELECT COUNT(*) FROM payment") == 0


def test_money_before_charges_is_given_to_them_when_they_come(desk: Desk) -> None:
    visit_id = booked(desk)
    take_payment(desk, JUNO, FakeTerminal(), visit_id, PayForm("cash", "20", "", "copay"))
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    add_diagnosis(desk, JUNO, visit_id, "J02.9")
    ready_for_checkout(desk, JUNO, visit_id)
    assert patient_open(desk, visit_id) == 10_800 and nothing_is_wrong(desk, visit_id)
    assert scalar(desk, "SELECT SUM(cents) FROM allocation") == 2000


def test_credit_of_a_visit_that_fell_through_is_used_by_choice(desk: Desk) -> None:
    patient = add_patient(desk)
    gone = book_visit(desk, JUNO, order(patient, start="9:30", day=date(2026, 11, 25)))
    take_payment(desk, JUNO, FakeTerminal(), gone, PayForm("cash", "50", "", "deposit"))
    today = visit_at_checkout(desk, patient)
    _, here = counter(desk, today)
    assert here.credits == []  # it belongs to the visit to come
    with pytest.raises(Conflict, match="used meanwhile"):
        use_credit(desk, JUNO, today, gone)
    take_off(desk, JUNO, gone, "wants", "", None)
    _, here = counter(desk, today)
    assert [each.cents for each in here.credits] == [-5000]
    assert use_credit(desk, JUNO, today, gone) == 5000
    assert patient_open(desk, today) == 7800 and patient_open(desk, gone) == 0
    assert nothing_is_wrong(desk, today) and nothing_is_wrong(desk, gone)
    for wrong in (lambda: use_credit(desk, JUNO, today, gone), lambda: use_credit(desk, JUNO, gone, today)):
        with pytest.raises(Conflict):
            wrong()
    with pytest.raises(NotFound):
        use_credit(desk, JUNO, today, today)
    with desk.engine.connect() as connection:
        assert open_elsewhere(connection, row(desk, today).household_id, today) == []


def test_finishing_sets_the_recall_and_a_later_visit_moves_it_on(desk: Desk) -> None:
    patient = add_patient(desk)
    visit_id = book_visit(desk, JUNO, order(patient, 2, "13:15", "Hygiene"))
    check_in(desk, JUNO, visit_id)
    take_to_room(desk, JUNO, visit_id)
    ready_for_checkout(desk, JUNO, visit_id)
    _, here = counter(desk, visit_id)
    assert (here.recall_type.name, here.recall_months) == ("Hygiene", 6)
    finish_checkout(desk, JUNO, visit_id, "none", None, 4)
    with desk.engine.connect() as connection:
        recalls = recalls_of(connection, patient)
    assert [(r.type_id, r.months, r.due_day) for r in recalls] == [(TYPE_ID["Hygiene"], 4, date(2027, 3, 24))]
    end_recall(desk, JUNO, recalls[0].id)
    with desk.engine.connect() as connection:
        assert recalls_of(connection, patient) == []


def test_somebody_who_walked_out_waits_among_the_jobs(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk))

    def seen() -> tuple[int, list[str]]:
        with desk.engine.connect() as connection:
            view = day_view(connection, desk.clinic, desk.clock.now(), 1, TODAY)
            lists = desk_lists(connection, desk.clinic, view)
        return len(lists.ready), [job.words for job in lists.jobs]

    assert seen() == (1, [])
    walked_out(desk, JUNO, visit_id)
    assert seen() == (0, ["Helen Vasquez left before the checkout"])
    walked_out(desk, JUNO, visit_id)
    assert seen()[0] == 1
    walked_out(desk, JUNO, visit_id)
    finish_checkout(desk, JUNO, visit_id)
    assert state_of(desk, visit_id) == "left" and row(desk, visit_id).gone_at is None
    with pytest.raises(Conflict):
        walked_out(desk, JUNO, visit_id)


def test_what_stays_open_is_said_and_the_papers_are_there(desk: Desk) -> None:
    visit_id = visit_at_checkout(desk, add_patient(desk, 4, street=""))
    sheet, here = counter(desk, visit_id)
    words = [point.what for point in what_stays_open(desk.clinic, sheet, here)]
    assert words[0] == "the claim is held back" and any("with Copperline Health" in each for each in words)
    for paper in (itemised_pdf, summary_pdf, attendance_pdf):
        assert paper(desk, visit_id).startswith(b"%PDF")
    with pytest.raises(Refused, match="not checked in"):
        attendance_pdf(desk, booked(desk, "16:00"))
    with pytest.raises(NotFound):
        receipt_pdf(desk, visit_id)


def test_a_day_can_be_narrowed_to_a_person_a_room_or_a_role(desk: Desk) -> None:
    booked(desk, "14:00"), booked(desk, "14:00", provider=6), booked(desk, "13:00", provider=1, kind="Filling")

    def shown(chosen: Filter) -> tuple[int, list[str]]:
        with desk.engine.connect() as connection:
            view = day_view(connection, desk.clinic, desk.clock.now(), 1, TODAY, chosen)
        return len(view.bars), [lane.title for lane in view.lanes if lane.bars]

    assert shown(Filter(provider_id=6)) == (1, ["Nadia Ferro NP"])
    assert shown(Filter(role="dentist")) == (1, ["Dr. Ines Calloway"])
    assert shown(Filter(by="room")) == (3, ["Chair 1", "Exam A", "Exam C"])
    assert shown(Filter(room_id=5, by="room")) == (1, ["Exam A"])
