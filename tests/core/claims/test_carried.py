"""What is added to a claim: kept and read again, typed and shown again, put on the claim and taken off."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.claims.sound_claims import child, dental, hospital, medical
from zax.core.claims.boxes import Box, Holds, Subject
from zax.core.claims.carried import Carried, CarriedLine, carried_of, carry, kept
from zax.core.claims.claim import Claim
from zax.core.claims.fields import FIELDS, field_of, number_in
from zax.core.claims.parts import Accident, Drug, Stay
from zax.core.claims.subject_values import summary, values, with_stay, write
from zax.core.claims.subjects import subjects_of
from zax.core.errors import Problems

CLAIMS = [medical(), child(), dental(), hospital()]
DAY_STAY = Stay(first=date(2026, 11, 20), last=date(2026, 11, 20))
SUBJECTS = [(claim, subject) for claim in CLAIMS for subject in subjects_of(claim)]


def typed_for(box: Box) -> st.SearchStrategy[str]:
    """Anything a box takes."""
    match box.holds:
        case Holds.DAY:
            return st.dates(date(1990, 1, 1), date(2030, 1, 1)).map(date.isoformat)
        case Holds.DATED:
            days = st.dates(date(1990, 1, 1), date(2030, 1, 1)).map(lambda d: f"{d.month}/{d.day}/{d.year}")
            return st.lists(st.tuples(st.sampled_from(["11", "A3"]), days).map(" ".join), min_size=1).map(
                ", ".join
            )
        case Holds.VALUED:
            cents = st.integers(1, 10**7).map(lambda cents: f"{cents // 100}.{cents % 100:02}")
            return st.lists(st.tuples(st.sampled_from(["80", "A1"]), cents).map(" ".join), min_size=1).map(
                ", ".join
            )
        case Holds.CHOICE | Holds.FIRST:
            return st.sampled_from(sorted(box.choices))
        case Holds.AMOUNT:
            return st.integers(1, 10**7).map(lambda cents: f"{cents // 100}.{cents % 100:02}")
        case Holds.NUMBER:
            return st.integers(1, 9999).map(str)
        case Holds.LIST:
            return st.lists(st.sampled_from(["1", "16", "17"]), min_size=1, unique=True).map(" ".join)
    return st.text("abcXYZ 09-’é", min_size=1, max_size=min(box.longest, 20)).map(str.strip).filter(bool)


@st.composite
def filled(draw: st.DrawFn) -> tuple[Claim, Subject, dict[str, str]]:
    claim, subject = draw(st.sampled_from(SUBJECTS))
    whole = subject.key in {
        "stay",
        "papers",
    }  # a bill has both its days, a paper is one of two in their order
    typed = {box.name: draw(typed_for(box)) for box in subject.boxes if whole or draw(st.booleans())}
    return claim, subject, typed


@given(filled())
def test_what_is_typed_is_kept_and_shown_again(found: tuple[Claim, Subject, dict[str, str]]) -> None:
    claim, subject, typed = found
    before = with_stay(subject, Carried(), replace(claim, stay=DAY_STAY))
    carried = write(subject, before, typed)
    assert values(subject, carried) == typed
    assert bool(summary(subject, carried)) == bool(typed)
    assert carried_of(kept(carried)) == carried
    if not typed and carried.stay is None:
        assert carry(claim, carried) == claim


@given(filled())
def test_what_is_emptied_is_gone(found: tuple[Claim, Subject, dict[str, str]]) -> None:
    claim, subject, typed = found
    if subject.key == "stay":
        return  # a bill's days cannot be emptied
    before = with_stay(subject, Carried(), replace(claim, stay=DAY_STAY))
    emptied = write(subject, write(subject, before, typed), {})
    assert emptied == before
    assert emptied.stay or carry(claim, emptied) == claim
    assert values(subject, emptied) == {}


@pytest.mark.parametrize(
    ("box", "text", "says"),
    [
        ("accident.day", "yesterday", "not a day"),
        ("accident.kinds", "ZZ", "one of the list"),
        ("accident.state", "Washington", "2 characters"),
        ("paid_cents", "a lot", "isn’t an amount"),
    ],
)
def test_what_cannot_be_read_is_said_beside_its_box(box: str, text: str, says: str) -> None:
    subject = next(s for s in subjects_of(medical()) if any(b.path == box for b in s.boxes))
    name = next(b.name for b in subject.boxes if b.path == box)
    with pytest.raises(Problems) as wrong:
        write(subject, Carried(), {name: text})
    assert says in wrong.value.problems[name]


def test_a_yes_or_no_that_is_typed_is_what_the_claim_says() -> None:
    """Kills: a no that is taken for nothing typed."""
    assert medical().released and medical().assigned and medical().pays_us
    said = carry(medical(), Carried(release="N", benefits="N"))
    assert (said.released, said.assigned, said.pays_us) == (False, True, False)


def test_it_is_put_on_the_claim_and_on_its_service() -> None:
    drug = Drug("00003029305", "1", "ML")
    more = Carried(
        authorization="A77",
        accident=Accident(("AA",), date(2026, 11, 1), "WA"),
        lines={"L1": CarriedLine(drug=drug, minutes=45), "L9": CarriedLine(note="of another claim")},
    )
    found = carry(medical(), more)
    assert (found.authorization, found.accident, found.group_number) == ("A77", more.accident, "G104")
    assert (found.lines[0].drug, found.lines[0].units, found.lines[0].basis) == (drug, 45, "MJ")
    assert found.lines[0].note == ""


def test_a_finding_knows_its_field() -> None:
    def words(about: str) -> str:
        found = field_of(about)
        return found.words if found else ""

    assert words("lines.12.prosthesis.prior_date") == "It is the"
    assert words("patient.address.zip") == "Street"
    assert words("lines.3.units") == "" and words("billing.npi") == ""
    assert (number_in("lines.12.tooth"), number_in("diagnoses.2"), number_in("clia")) == (12, 2, 0)
    assert all(field_of(path.replace("N", "7")) == field for path, field in FIELDS.items())
