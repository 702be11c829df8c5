"""Checks of the people: the patient and the holder of the plan, as the insurer wants them named."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zax.core.claims.checks.registry import ODD, STOP, Problem, check
from zax.core.claims.claim import Claim
from zax.core.claims.situation import Situation
from zax.core.patients.person import age_on
from zax.core.spelling import NOBODY
from zax.core.wording import day_words
from zax.core.x12.parties import Person
from zax.core.x12.syntax import clean

STATES = frozenset(
    [
        "AL",
        "AK",
        "AZ",
        "AR",
        "CA",
        "CO",
        "CT",
        "DE",
        "DC",
        "FL",
        "GA",
        "HI",
        "ID",
        "IL",
        "IN",
        "IA",
        "KS",
        "KY",
        "LA",
        "ME",
        "MD",
        "MA",
        "MI",
        "MN",
        "MS",
        "MO",
        "MT",
        "NE",
        "NV",
        "NH",
        "NJ",
        "NM",
        "NY",
        "NC",
        "ND",
        "OH",
        "OK",
        "OR",
        "PA",
        "RI",
        "SC",
        "SD",
        "TN",
        "TX",
        "UT",
        "VT",
        "VA",
        "WA",
        "WV",
        "WI",
        "WY",
        "AS",
        "GU",
        "MP",
        "PR",
        "VI",
        "AA",
        "AE",
        "AP",
    ]
)
LONGEST_LAST, LONGEST_FIRST, LONGEST_STREET, LONGEST_CITY = 60, 35, 55, 30
OLDEST = 120
RELATIONSHIPS = frozenset(["01", "18", "19", "20", "21", "39", "40", "53", "G8"])


def _named(claim: Claim) -> Iterator[tuple[str, str, Person]]:
    """Path, words and person of everybody the file names by name."""
    yield "patient", "the patient", claim.subscriber if claim.own else claim.patient
    if not claim.own:
        yield "subscriber", "the plan’s holder", claim.subscriber


def _treated(claim: Claim) -> tuple[str, Person]:
    """Whose address, birth date and sex go along (2010BA or 2010CA)."""
    return ("patient", claim.subscriber if claim.own else claim.patient)


@check(STOP, "PDI", "2010BA, 2010CA NM103")
def name_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Everybody on the claim has a last and a first name."""
    for path, words, person in _named(claim):
        for field in ("last", "first"):
            if not getattr(person, field).strip():
                yield Problem(f"{path}.{field}", f"No {field} name for {words}.", "Enter it as on the card.")


@check(STOP, "PDI", "X12.6 basic character set")
def name_can_be_written(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A name has letters left once it is spelled for the file."""
    for path, words, person in _named(claim):
        for field in ("last", "first"):
            name = getattr(person, field)
            written = clean(name)
            if name.strip() and (
                not any(letter.isalpha() for letter in written) or written == NOBODY != name
            ):
                message = f"“{name}” for {words} can’t be written in plain letters."
                yield Problem(f"{path}.{field}", message, "Spell it as on the insurance card.")


@check(STOP, "PDI", "NM103 60, NM104 35, N301 55, N401 30")
def name_fits(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Names and addresses are no longer than the file allows."""
    for path, words, person in _named(claim):
        fields = (
            ("last", person.last, LONGEST_LAST),
            ("first", person.first, LONGEST_FIRST),
            ("address.line1", person.address.street, LONGEST_STREET),
            ("address.city", person.address.city, LONGEST_CITY),
        )
        for field, text, longest in fields:
            if len(clean(text)) > longest:
                message = f"“{text[:30]}…” for {words} is longer than {longest} letters."
                yield Problem(f"{path}.{field}", message, "Shorten it.")


@check(STOP, "PDI", "2010BA, 2010CA DMG02")
def birth_date_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The patient has a birth date."""
    path, person = _treated(claim)
    if person.birth is None:
        yield Problem(f"{path}.birth", "No birth date for the patient.", "Ask for it and enter it.")


@check(STOP, "PDI", "2010BA, 2010CA DMG03")
def sex_given(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The patient’s sex is M, F or U."""
    path, person = _treated(claim)
    if person.sex not in {"M", "F", "U"}:
        yield Problem(f"{path}.sex", "No sex on file for the patient.", "Check the card or ask.")


@check(STOP, "PDI", "2010BA, 2010CA N3, N4")
def address_complete(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The patient has a street, city, state and ZIP; abroad a street and city."""
    path, person = _treated(claim)
    if not person.address.complete:
        remedy = "Street, city, state and ZIP are needed."
        yield Problem(f"{path}.address", "No full address for the patient.", remedy)


@check(STOP, "PDI", "N402, N403")
def state_and_zip_real(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A US address has a state that exists and a ZIP of five or nine digits."""
    path, person = _treated(claim)
    address = person.address
    if address.country not in {"", "US"}:
        return
    if address.state and address.state.upper() not in STATES:
        yield Problem(f"{path}.address.state", f"“{address.state}” isn’t a state.", "Use its two letters.")
    if address.zip and not re.fullmatch(r"\d{5}(-?\d{4})?", address.zip, re.ASCII):
        message = f"ZIP {address.zip} doesn’t have 5 or 9 digits."
        yield Problem(f"{path}.address.zip", message, "Correct it.")


@check(STOP, "PDI", "2000C PAT01, 2000B SBR02")
def relationship_known(claim: Claim, _: Situation) -> Iterator[Problem]:
    """How the patient is related to the plan’s holder is said."""
    if claim.relationship not in RELATIONSHIPS:
        message = "It isn’t said how the patient is related to the plan’s holder."
        yield Problem("patient.relation", message, "Choose it on the coverage.")


@check(STOP, "PDI", "DMG02 against DTP*472")
def born_before_service(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """Nobody is treated before they were born."""
    path, person = _treated(claim)
    first = min(claim.days, default=situation.today)
    if person.birth and person.birth > first:
        message = f"The birth date, {day_words(person.birth, year=True)}, is after the service."
        yield Problem(f"{path}.birth", message, "Correct it.")


@check(ODD, "PDI", "DMG02")
def age_plausible(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """Nobody is older than 120."""
    path, person = _treated(claim)
    if person.birth and person.birth <= situation.today and age_on(person.birth, situation.today) > OLDEST:
        message = f"Born {day_words(person.birth, year=True)}, the patient would be over {OLDEST}."
        yield Problem(f"{path}.birth", message, "Check the birth date.")


@check(STOP, "PDI", "2000B, 2000C PAT06 against DTP*472")
def alive_on_the_day(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Nobody is treated after the day they died."""
    for at, line in enumerate(claim.lines, 1):
        if claim.died and line.day and line.day > claim.died:
            message = f"{line.code} is dated after the patient died, {day_words(claim.died, year=True)}."
            yield Problem(
                f"lines.{at}.from", message, "Correct the day of service or the date on the record."
            )
