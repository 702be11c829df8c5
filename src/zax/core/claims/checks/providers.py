"""Checks of who bills and who treated: numbers, specialties, addresses."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zax.core.claims.checks.registry import ODD, STOP, Problem, check
from zax.core.claims.claim import Claim, Clinician
from zax.core.claims.procedures import is_imaging, is_lab, is_therapy
from zax.core.claims.situation import Situation
from zax.core.clinic.identity import is_npi, is_taxonomy

_BOX = re.compile(r"\bP\.?\s*O\.?\s*BOX\b|\bPOST OFFICE BOX\b|\bLOCK ?BOX\b|^BOX \d", re.IGNORECASE)
_ROLES = (
    ("clinician", "rendering"),
    ("referring", "referring"),
    ("supervising", "supervising"),
    ("assistant", "assistant"),
    ("attending", "attending"),
    ("operating", "operating"),
    ("other_operating", "other_operating"),
)
_LINE_ROLES = ("rendering", "supervising", "ordering", "referring", "assistant")


def everybody(claim: Claim) -> Iterator[tuple[str, Clinician]]:
    """Path and person of every clinician the claim names."""
    for field, path in _ROLES:
        who = getattr(claim, field)
        if isinstance(who, Clinician):
            yield path, who
    for at, line in enumerate(claim.lines, 1):
        for field in _LINE_ROLES:
            who = getattr(line, field)
            if isinstance(who, Clinician):
                yield f"lines.{at}.{field}", who


@check(STOP, "PDI", "45 CFR 162.406; NM109 with NM108 XX")
def npi_valid(claim: Claim, _: Situation) -> Iterator[Problem]:
    """An NPI has ten digits and passes its check digit."""
    if not is_npi(claim.billing.identifier):
        message = f"{claim.billing.name or 'The clinic'} has no valid NPI."
        yield Problem("billing.npi", message, "Enter its ten digits in Setup.")
    told: set[Clinician] = set()
    for path, who in everybody(claim):
        if not is_npi(who.npi) and who not in told:
            told.add(who)
            message = f"{who.first} {who.last} has no valid NPI."
            yield Problem(f"{path}.npi", message, "Enter its ten digits in Setup.")


@check(ODD, "PDI", "PRV03, health care provider taxonomy")
def taxonomy_valid(claim: Claim, _: Situation) -> Iterator[Problem]:
    """A taxonomy code is nine letters or digits and an X."""
    codes = [("billing", claim.billing.name, claim.billing.taxonomy)]
    codes += [(path, f"{who.first} {who.last}", who.taxonomy) for path, who in everybody(claim)]
    for path, name, code in codes:
        if code and not is_taxonomy(code):
            message = f"{name}’s taxonomy, {code}, isn’t one."
            yield Problem(f"{path}.taxonomy", message, "It has ten characters and ends in X.")


@check(STOP, "PDI", "2010AA REF EI")
def tax_id_valid(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The tax ID has nine digits."""
    if not re.fullmatch(r"\d{9}", claim.billing.tax_id.replace("-", ""), re.ASCII):
        message = f"The clinic’s tax ID, {claim.billing.tax_id or 'not entered'}, doesn’t have nine digits."
        yield Problem("billing.tax_id", message, "Correct it in Setup.")


@check(STOP, "PDI", "2010AA N3: a street address")
def billing_street(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The billing address is a street, never a PO box."""
    if _BOX.search(claim.billing.address.street):
        remedy = "Enter the street; a box may only be where payments go."
        yield Problem("billing.address", "The billing address is a PO box.", remedy)


@check(STOP, "PDI", "2010AA N3, N4")
def billing_address_complete(claim: Claim, _: Situation) -> Iterator[Problem]:
    """The billing provider has a name and a full address with a nine-digit ZIP."""
    billing = claim.billing
    if not billing.name.strip():
        yield Problem("billing.name", "The clinic has no name to bill under.", "Enter it in Setup.")
    if not billing.address.complete:
        yield Problem("billing.address", "The clinic’s address isn’t complete.", "Complete it in Setup.")
    elif billing.address.country in {"", "US"} and not re.fullmatch(
        r"\d{5}-?\d{4}", billing.address.zip, re.ASCII
    ):
        message = f"The clinic’s ZIP, {billing.address.zip}, needs all nine digits."
        yield Problem("billing.address.zip", message, "Add the last four in Setup.")


@check(STOP, "PD", "2310B, required when it is not the billing provider")
def rendering_named(claim: Claim, _: Situation) -> Iterator[Problem]:
    """When an organization bills, the claim names who did the work."""
    on_lines = claim.lines and all(line.rendering for line in claim.lines)
    if claim.clinician is None and not claim.billing.person and not on_lines:
        yield Problem("rendering", "It isn’t said who did the work.", "Choose the provider.")


@check(STOP, "PD", "2310A, by the payer")
def referral_given(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """A payer that wants a referral gets its number or who referred."""
    if "referral" in situation.needs and not claim.referral and claim.referring is None:
        message = f"{claim.payer.name} doesn’t take claims without a referral."
        yield Problem("referral", message, "Enter its number, or who referred the patient.")


@check(ODD, "P", "42 CFR 410.32: tests need an order")
def medicare_order_named(claim: Claim, situation: Situation) -> Iterator[Problem]:
    """Medicare wants to know who ordered a lab test, picture or therapy."""
    if not situation.medicare or claim.referring is not None:
        return
    for at, line in enumerate(claim.lines, 1):
        ordered = is_lab(line.code) or is_imaging(line.code) or is_therapy(line.code)
        if ordered and line.ordering is None and line.referring is None:
            message = f"It isn’t said who ordered {line.code}."
            yield Problem(f"lines.{at}.ordering", message, "Add the ordering or referring provider.")


@check(STOP, "PDI", "2310C, 2310E N3, N4")
def facility_complete(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Another place where it was done has a name and a full address."""
    if claim.facility and not (claim.facility.name and claim.facility.address.complete):
        message = "The place where it was done has no full name and address."
        yield Problem("service_facility", message, "Complete it, or remove it.")


@check(ODD, "P", "2310C, required when not done at the billing address")
def facility_named(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Work in a hospital or nursing facility names the place."""
    if claim.place_of_service in {"21", "22", "23", "31", "32"} and claim.facility is None:
        message = "It was done in another facility, which isn’t named."
        yield Problem("service_facility", message, "Add its name and address.")


@check(ODD, "P", "2310D")
def supervisor_is_another(claim: Claim, _: Situation) -> Iterator[Problem]:
    """Nobody supervises themselves."""
    if claim.supervising is not None and claim.supervising == claim.clinician:
        message = "The supervising provider is the one who did the work."
        yield Problem("supervising", message, "Remove the supervising provider.")
