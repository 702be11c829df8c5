"""Fixing a finding beside it: what is typed goes to the record it belongs to (the patient, the coverage, the
charge, or the claim itself), and the claim is checked again in the same act.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import date
from typing import Any

from zax.core.claims.carried import Carried, CarriedLine, carried_of, kept
from zax.core.claims.claim import Claim
from zax.core.claims.code_words import DISCHARGES
from zax.core.claims.fields import ClaimField, Kept, field_of, number_in
from zax.core.claims.parts import Accident, Drug, OrthodonticPlan, Stay
from zax.core.claims.subject_values import summary, with_stay, write
from zax.core.claims.subjects import subjects_of
from zax.core.errors import NotFound, Refused
from zax.core.reading import needed_day, needed_number, optional_day
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.charges.details import correct_diagnosis, correct_line
from zax.desk.claims.claims import add_event, check_again, made_now, visit_of, waiting_claim
from zax.desk.claims.content import Made
from zax.desk.coverage.coverages import change_card
from zax.desk.patients.details import change_fields
from zax.store.claims import claims as stored
from zax.store.claims.claims import ClaimRow
from zax.store.engine import Connection
from zax.store.patients.files import files_of

LONGEST = 80
_NO_DAY = "This is not a day."


@act("claims")
def fix(tx: Transaction, claim_id: int, about: str, typed: Mapping[str, str]) -> bool:
    """Write what was typed for the field of that path; whether the claim is ready now. Raises Problems beside
    the boxes of `core.claims.fields`.
    """
    row = waiting_claim(tx, claim_id)
    asked = field_of(about)
    if asked is None:
        raise NotFound("This is fixed on its own screen.")
    made = made_now(tx, row)
    said = {each.name: typed.get(each.name, "").strip() for each in asked.inputs}
    _WRITE[asked.kept](tx, row, made, about, said)
    add_event(tx, claim_id, f"Fixed: {asked.words.lower()}")
    return check_again(tx, claim_id)


def _person(tx: Transaction, row: ClaimRow, made: Made, about: str, said: Mapping[str, str]) -> None:
    change_fields(tx, row.patient_id, said, made.about.site_id)


def _coverage(tx: Transaction, row: ClaimRow, made: Made, about: str, said: Mapping[str, str]) -> None:
    change_card(tx, row.coverage_id, said)


def _service(tx: Transaction, row: ClaimRow, made: Made, about: str, said: Mapping[str, str]) -> None:
    correct_line(tx, visit_of(tx, row), int(_line_number(made.claim, about)[1:]), said)


def _diagnoses(tx: Transaction, row: ClaimRow, made: Made, about: str, said: Mapping[str, str]) -> None:
    correct_diagnosis(tx, visit_of(tx, row), number_in(about), said["diagnosis"])


def _line_number(claim: Claim, about: str) -> str:
    at = number_in(about)
    if not 0 < at <= len(claim.lines):
        raise NotFound("This service isn’t on the claim anymore.")
    return claim.lines[at - 1].number


def _claim(tx: Transaction, row: ClaimRow, made: Made, about: str, said: Mapping[str, str]) -> None:
    """What is kept with the claim itself."""
    carried = carried_of(row.carried)
    asked = field_of(about)
    assert asked is not None, "only a field that is asked for is written"
    if asked.path.startswith("lines."):
        number = _line_number(made.claim, about)
        more = _of_line(asked, carried.line(number), said)
        carried = replace(carried, lines={**carried.lines, number: more})
    else:
        carried = _of_claim(asked, carried, said, made)
    stored.set_carried(tx.connection, row.id, kept(carried))


def _of_claim(asked: ClaimField, carried: Carried, said: Mapping[str, str], made: Made) -> Carried:
    special = _SPECIAL.get(asked.path)
    if special is not None:
        return special(carried, said, made)
    name = asked.inputs[0].name
    text = said[name]
    if asked.inputs[0].choices and text not in asked.inputs[0].choices:
        raise Refused("Choose one of the list.", name)
    if len(text) > LONGEST:
        raise Refused(f"Keep it to {LONGEST} characters.", name)
    more: dict[str, Any] = {name: text}
    return replace(carried, **more)


def _accident(carried: Carried, made: Made) -> Accident:
    return carried.accident or made.claim.accident or Accident(("OA",))


def _accident_day(carried: Carried, said: Mapping[str, str], made: Made) -> Carried:
    day = needed_day(said["accident_day"], "accident_day", _NO_DAY)
    return replace(carried, accident=replace(_accident(carried, made), day=day))


def _accident_state(carried: Carried, said: Mapping[str, str], made: Made) -> Carried:
    state = said["accident_state"].upper()
    if len(state) != 2 or not state.isalpha():
        raise Refused("Two letters, such as WA.", "accident_state")
    return replace(carried, accident=replace(_accident(carried, made), state=state))


def _dated(name: str) -> Callable[[Carried, Mapping[str, str], Made], Carried]:
    """One of the claim's own days."""

    def write(carried: Carried, said: Mapping[str, str], made: Made) -> Carried:
        day = needed_day(said[name], name, _NO_DAY)
        return replace(carried, dates=replace(carried.dates, **{name: day}))

    return write


def _months(carried: Carried, said: Mapping[str, str], made: Made) -> Carried:
    months = needed_number(said["months"], "months", 1, 120)
    left = needed_number(said["months_left"], "months_left", 0, months)
    return replace(carried, braces=OrthodonticPlan(months, left))


def _statement(carried: Carried, said: Mapping[str, str], made: Made) -> Carried:
    first = needed_day(said["first"], "first", _NO_DAY)
    last = needed_day(said["last"], "last", _NO_DAY)
    if last < first:
        raise Refused("It ends before it begins.", "last")
    return replace(carried, stay=replace(_stay(carried, made), first=first, last=last))


def _discharge(carried: Carried, said: Mapping[str, str], made: Made) -> Carried:
    if said["discharge_status"] not in DISCHARGES:
        raise Refused("Choose one of the list.", "discharge_status")
    stay = replace(_stay(carried, made), discharge_status=said["discharge_status"])
    return replace(carried, stay=stay)


def _stay(carried: Carried, made: Made) -> Stay:
    """What is known of the bill's period: typed, else the day of the visit."""
    return carried.stay or made.claim.stay or Stay(first=made.about.day, last=made.about.day)


_SPECIAL: Mapping[str, Callable[[Carried, Mapping[str, str], Made], Carried]] = {
    "accident.date": _accident_day,
    "accident.state": _accident_state,
    "initial_treatment": _dated("first_treated"),
    "admission.date": _dated("admitted"),
    "dates.onset": _dated("onset"),
    "ortho.placed_on": _dated("appliance"),
    "ortho.months": _months,
    "statement": _statement,
    "admission.discharge_status": _discharge,
}


def _of_line(asked: ClaimField, line: CarriedLine, said: Mapping[str, str]) -> CarriedLine:
    match asked.path:
        case "lines.N.prosthesis":
            return replace(line, **_placement(said))
        case "lines.N.ndc":
            return replace(line, drug=Drug(said["ndc"].replace("-", ""), said["quantity"], said["unit"]))
        case "lines.N.minutes":
            return replace(line, minutes=needed_number(said["minutes"], "minutes", 1, 2880))
        case "lines.N.revenue":
            if not (said["revenue"].isascii() and said["revenue"].isdecimal() and len(said["revenue"]) == 4):
                raise Refused("Four digits, such as 0510.", "revenue")
            return replace(line, revenue=said["revenue"])
    if len(said["line_note"]) > LONGEST:
        raise Refused(f"Keep it to {LONGEST} characters.", "line_note")
    return replace(line, note=said["line_note"])


def _placement(said: Mapping[str, str]) -> dict[str, Any]:
    """Whether a crown is the first; what is replaced was placed on a day, which is asked for."""
    if said["placement"] not in {"first", "replaces"}:
        raise Refused("Is it the first on this tooth, or does it replace one?", "placement")
    first = said["placement"] == "first"
    day: date | None = None
    if not first:
        day = optional_day(said["placed_before"], "placed_before", _NO_DAY)
        if day is None:
            raise Refused("When was the earlier one placed?", "placed_before")
    return {"first_placement": first, "placed_before": day}


_WRITE: Mapping[Kept, Callable[[Transaction, ClaimRow, Made, str, Mapping[str, str]], None]] = {
    Kept.PERSON: _person,
    Kept.COVERAGE: _coverage,
    Kept.CLAIM: _claim,
    Kept.SERVICE: _service,
    Kept.DIAGNOSES: _diagnoses,
}


@act("claims")
def carry_subject(tx: Transaction, claim_id: int, key: str, typed: Mapping[str, str]) -> bool:
    """Write what was typed for a subject of the claim; whether it is ready now. Raises Problems beside the
    boxes of `core.claims.subjects`.
    """
    row = waiting_claim(tx, claim_id)
    made = made_now(tx, row)
    files = file_choices(tx.connection, row.patient_id)
    subject = next((each for each in subjects_of(made.claim, files) if each.key == key), None)
    if subject is None:
        raise NotFound("This claim has no such part.")
    carried = write(subject, with_stay(subject, carried_of(row.carried), made.claim), typed)
    carried = _numbered(carried, row)
    stored.set_carried(tx.connection, row.id, kept(carried))
    add_event(tx, claim_id, f"{subject.words}: {summary(subject, carried) or 'taken out'}")
    return check_again(tx, claim_id)


def file_choices(connection: Connection, patient_id: int) -> dict[str, str]:
    """The files of the record that may go with a claim, by their id."""
    return {str(each.id): each.name for each in files_of(connection, patient_id)}


def _numbered(carried: Carried, row: ClaimRow) -> Carried:
    """An attachment that is sent and has no number of its own gets the claim's."""
    papers = tuple(
        replace(paper, number=f"{row.number}-{at}")
        if paper.how not in {"", "AA"} and not paper.number
        else paper
        for at, paper in enumerate(carried.attachments, 1)
    )
    return replace(carried, attachments=papers)
