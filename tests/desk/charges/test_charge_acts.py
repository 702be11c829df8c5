"""Charges in full and planned work with options on the database: what moves together, and what cannot be
done.
"""

import json
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
    add_patient,
    known_patient,
    order,
    scalar,
    visit_at_checkout,
)
from tests.desk.acting import in_room, lines, nothing_is_wrong, row
from zax.core.charges.service_words import take_apart
from zax.core.charges.teeth import Numbering, show_tooth
from zax.core.errors import Conflict, NotFound, Problems, Refused, Stale
from zax.demo.world import SERVICE_ID
from zax.desk.acts.act import in_transaction
from zax.desk.acts.transaction import Desk
from zax.desk.arrivals.forms import SignForm
from zax.desk.book.booking import book_visit
from zax.desk.book.planned import plan_service
from zax.desk.charges.charges import LineForm, add_line, add_lines, add_planned, add_set, change_line
from zax.desk.charges.diagnoses import add_diagnosis, make_main, remove_diagnosis
from zax.desk.charges.finishing import back_to_room, ready_for_checkout
from zax.desk.charges.service_search import find_hits
from zax.desk.charges.tooth_chart import teeth_of
from zax.desk.charges.treatment_options import (
    PlannedLineForm,
    add_option,
    add_to_option,
    drop_from_option,
    make_proposal,
    move_in_option,
    name_parts,
    proposal_of,
    put_away,
    sign_option,
)
from zax.desk.claims.content import made_claim
from zax.desk.claims.sending import send_ready
from zax.desk.day.checkout import finish_checkout, take_checkout_back
from zax.store import schema
from zax.store.book.planned import planned_for
from zax.store.charges.treatment_options import proposals_of
from zax.store.files import FileStore
from zax.store.money import queries as money
from zax.web.charges.documents import plan_pdf, proposal_paper

SIGNED = SignForm(
    strokes=json.dumps([[[20 + n * 10, 90] for n in range(30)]]),
    signer="Helen Vasquez",
    relation="self",
)


# --- charges
def test_a_set_brings_what_is_not_there_yet(desk: Desk) -> None:
    visit_id = in_room(desk, known_patient(desk))
    add_line(desk, JUNO, visit_id, SERVICE_ID["36415"])
    made = add_set(desk, JUNO, visit_id, 3)
    assert len(made) == 3 and {
        desk.clinic.services[each.service_id].code for each in lines(desk, visit_id)
    } == {
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
        lambda: add_line(desk, JUNO, visit_id, SERVICE_ID["36415"], patient_id=other),
        lambda: add_set(desk, JUNO, visit_id, 3, other),
        lambda: add_diagnosis(desk, JUNO, visit_id, "I10", other),
        lambda: ready_for_checkout(desk, JUNO, visit_id, patient_id=other),
        lambda: change_line(desk, JUNO, visit_id, lines(desk, visit_id)[0].id, LineForm(), other),
    ):
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
    with pytest.raises(Conflict, match="done, booked or removed"):
        add_planned(desk, JUNO, visit_id, planned)
    change_line(
        desk, JUNO, visit_id, lines(desk, visit_id)[0].id, LineForm(units="1", tooth="14", surfaces="MO")
    )
    ready_for_checkout(desk, INES, visit_id)
    finish_checkout(desk, JUNO, visit_id)
    state = (
        "SELECT CONCAT(v.state, '-', p.done_at IS NOT NULL, '-', (SELECT COUNT(*) FROM claim c WHERE"
        " c.visit_id = v.id AND c.state <> 'closed'), '-', (SELECT SUM(patient_cents + insurer_cents) FROM"
        " journal j WHERE j.visit_id = v.id)) FROM visit v JOIN planned_service p ON p.visit_id = v.id"
    )
    assert scalar(desk, state) == "left-1-1-146600"
    with desk.engine.begin() as connection:
        connection.execute(text("UPDATE claim SET state = 'held_back'"))
    take_checkout_back(desk, SAM, visit_id, "the wrong tooth")
    back_to_room(desk, SAM, visit_id, "the wrong tooth")
    assert scalar(desk, state) == "room-0-0-0" and nothing_is_wrong(desk, visit_id)


def test_modifiers_pointers_people_and_place_reach_the_claim(desk: Desk) -> None:
    visit_id = in_room(desk, known_patient(desk, 4))
    for code in ("J02.9", "R05.1", "I10"):
        add_diagnosis(desk, INES, visit_id, code)
    swab = add_line(desk, INES, visit_id, SERVICE_ID["87880"])
    office = lines(desk, visit_id)[0].id
    change_line(
        desk,
        INES,
        visit_id,
        office,
        LineForm(units="1", modifiers="25", pointers="CA", place="10", supervising_id=6),
    )
    change_line(desk, INES, visit_id, swab, LineForm(units="2", provider_id=6))
    make_main(desk, INES, visit_id, "R05.1")
    ready_for_checkout(desk, INES, visit_id)
    finish_checkout(desk, JUNO, visit_id)
    send_ready(desk, ODILE)

    def said(tx: Any) -> Any:
        claim = tx.connection.execute(schema.claim.select()).first()
        return made_claim(tx.connection, tx.clinic, claim, row(desk, visit_id).day).claim

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
    with pytest.raises(Refused, match="isn’t on this visit"):
        make_main(desk, INES, visit_id, "I10")
    with pytest.raises(Refused, match="heading"):
        add_diagnosis(desk, INES, visit_id, "J02")


def test_another_fee_needs_the_right_and_a_reason(desk: Desk) -> None:
    visit_id = in_room(desk, known_patient(desk))
    line = lines(desk, visit_id)[0].id
    with pytest.raises(Problems, match="Front desk can’t charge"):
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
        ({"modifiers": "25 25"}, "modifiers"),
        ({"pointers": "B"}, "pointers"),
        ({"place": "99"}, "place"),
        ({"provider_id": 1}, "provider_id"),
        ({"supervising_id": 5}, "supervising_id"),
        ({"units": "0"}, "units"),
        ({"fee": "x"}, "fee"),
        ({"tooth": "14"}, "tooth"),
    ],
)
def test_what_is_wrong_on_a_line_is_told_at_its_field(desk: Desk, form: dict[str, Any], field: str) -> None:
    visit_id = in_room(desk, add_patient(desk))
    with pytest.raises(Problems) as wrong:
        change_line(desk, ODILE, visit_id, lines(desk, visit_id)[0].id, LineForm(**form))
    assert set(wrong.value.problems) == {field}


def test_retired_codes_and_teeth_that_do_not_fit_are_refused(desk: Desk) -> None:
    visit_id = in_room(desk, add_patient(desk), dental=True)
    with pytest.raises(Refused, match="retired on Jan 1, 2013"):
        add_line(desk, JUNO, visit_id, SERVICE_ID["D1204"])
    with pytest.raises(Problems, match="primary teeth"):
        add_line(desk, JUNO, visit_id, SERVICE_ID["D2930"], LineForm(tooth="14"))
    quarter = add_line(desk, JUNO, visit_id, SERVICE_ID["D4341"])
    change_line(
        desk, JUNO, visit_id, lines(desk, visit_id)[0].id, LineForm(units="1", tooth="14", surfaces="MO")
    )
    with pytest.raises(Refused, match="D4341 needs its quadrant"):
        ready_for_checkout(desk, JUNO, visit_id)
    change_line(desk, JUNO, visit_id, quarter, LineForm(area="30"))
    ready_for_checkout(desk, JUNO, visit_id)
    assert lines(desk, visit_id)[1].area == "30"


def test_several_teeth_are_added_together_or_not_at_all(desk: Desk) -> None:
    visit_id = in_room(desk, add_patient(desk), dental=True)
    before = lines(desk, visit_id)
    with pytest.raises(Problems, match="primary teeth"):
        add_lines(desk, JUNO, visit_id, SERVICE_ID["D2930"], [LineForm(tooth="A"), LineForm(tooth="14")])
    assert lines(desk, visit_id) == before
    added = add_lines(desk, JUNO, visit_id, SERVICE_ID["D2930"], [LineForm(tooth="A"), LineForm(tooth="B")])
    assert [line.tooth for line in lines(desk, visit_id) if line.id in added] == ["A", "B"]


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

    assert hits("14 mo fillng")[0] == "D2392" and "D2330" in hits("14 mo fillng")
    assert hits("8 I filling")[0] == "D2330" and hits("3 MO filling")[0] == "D2392"
    assert hits("19 o filling")[0] == "D2391"
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
    change_line(desk, JUNO, now, lines(desk, now)[0].id, LineForm(units="1", tooth="30", surfaces="OD"))
    with desk.engine.connect() as connection:
        found = teeth_of(
            connection,
            desk.clinic,
            patient,
            now,
            money.visit_lines(connection, now),
            planned_for(connection, patient),
        )
    assert (found["14"].earlier, found["3"].planned, set(found["30"].today)) == (
        True,
        True,
        {"O", "D"},
    ) and past


# --- planned work
def offered(desk: Desk, patient: int) -> int:
    made = make_proposal(desk, INES, patient, "Upper left", 1)
    name_parts(desk, INES, made, {"A": "Crown"}, [("Now", "0"), ("Next year", "2"), ("", "9")], 1)
    for code, phase, tooth, surfaces in (
        ("D2740", 1, "14", ""),
        ("D2740", 1, "3", ""),
        ("D2740", 2, "19", ""),
    ):
        add_to_option(
            desk,
            INES,
            made,
            PlannedLineForm(
                service_id=SERVICE_ID[code], letter="A", phase=phase, tooth=tooth, surfaces=surfaces
            ),
        )
    return made


def view(desk: Desk, proposal_id: int) -> Any:
    with desk.engine.connect() as connection:
        return proposal_of(connection, desk.clinic, proposal_id, desk.clock.now())


def test_options_carry_the_maximum_from_line_to_line_and_year_to_year(desk: Desk) -> None:
    made = offered(desk, add_patient(desk, 1))
    assert add_option(desk, INES, made, "A") == "B"
    option_a, option_b = view(desk, made).options
    parts = [
        [(line.estimate.fee, line.estimate.insurer) for line in phase.lines] for phase in option_a.phases
    ]
    # 50 percent, the deductible of 50.00 once a year; the annual maximum of 2,500.00 is not reached.
    assert parts == [[(118_000, 56_500), (118_000, 59_000)], [(118_000, 56_500)]]
    assert (
        option_a.total("fee")
        == option_a.total("insurer") + option_a.total("patient") + option_a.total("write_off")
        == 354_000
    )
    assert option_b.total("patient") == option_a.total("patient") and option_b.count == 3
    first = option_b.phases[0].lines[0].row.id
    move_in_option(desk, INES, made, first, 2)
    dropped = option_b.phases[0].lines[1].row.id
    drop_from_option(desk, INES, made, dropped)
    with pytest.raises(NotFound, match="isn’t part of this"):
        move_in_option(desk, INES, made, dropped, 2)
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
    signing = SIGNED.but(version=version)
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
        lambda: add_to_option(desk, INES, made, PlannedLineForm(service_id=1, letter="A", phase=1)),
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
    signing = SIGNED.but(version=view(desk, made).row.version)
    sign_option(desk, INES, FileStore(tmp_path), proposal_paper, made, "A", signing, 1)
    visit_id = in_room(desk, patient, dental=True)
    first = view(desk, made).options[0].phases[0].lines[0].row.id
    add_planned(desk, INES, visit_id, first)
    change_line(
        desk, INES, visit_id, lines(desk, visit_id)[0].id, LineForm(units="1", tooth="30", surfaces="MO")
    )
    ready_for_checkout(desk, INES, visit_id)
    phase = view(desk, made).options[0].phases[0]
    assert (phase.done, len(phase.lines)) == (1, 1)
    assert phase.lines[0].estimate.deductible == 0  # today's work used it up


@pytest.mark.parametrize(
    ("form", "field"),
    [
        (PlannedLineForm(service_id=SERVICE_ID["D2740"], letter="A", phase=1, tooth="A"), "tooth"),
        (
            PlannedLineForm(service_id=SERVICE_ID["D2392"], letter="A", phase=1, tooth="14", surfaces="M"),
            "surfaces",
        ),
        (PlannedLineForm(service_id=SERVICE_ID["D4341"], letter="A", phase=1), "area"),
        (PlannedLineForm(service_id=SERVICE_ID["99213"], letter="A", phase=1), "service"),
        (PlannedLineForm(service_id=SERVICE_ID["D1204"], letter="A", phase=1), "service"),
        (PlannedLineForm(service_id=SERVICE_ID["D1110"], letter="Z", phase=1), "service"),
        (PlannedLineForm(service_id=9999, letter="A", phase=1), "service"),
    ],
)
def test_what_cannot_be_planned_is_told_at_its_field(desk: Desk, form: PlannedLineForm, field: str) -> None:
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
