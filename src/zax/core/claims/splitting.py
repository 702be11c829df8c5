"""One visit, several claims: charges are split where a form's limits or the payer demand it, and never
otherwise.

A claim has one kind of service, one specialty of its provider, at most 50 lines and 12 diagnoses (837P) or 4
(837D); a payer may want one rendering provider or one place of service on each. Lines keep their order, and
each is on exactly one claim. Sources: 005010X222A1 and 005010X224A2, 2400 LX, 2300 HI and 2310B PRV; the
payer's own rules.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zax.core.claims.claim import Form

MOST_LINES = {Form.PROFESSIONAL: 50, Form.DENTAL: 50, Form.INSTITUTIONAL: 999}
MOST_DIAGNOSES = {Form.PROFESSIONAL: 12, Form.DENTAL: 4, Form.INSTITUTIONAL: 25}
ONE_PROVIDER, ONE_PLACE, FACILITY = "one_provider", "one_place", "facility"


@dataclass(frozen=True, slots=True)
class Charge:
    """A charge as far as splitting looks at it; `id` is its line, `taxonomy` the specialty it is billed under
    where that is not the provider's own.
    """

    id: int
    form: Form
    provider_id: int
    place: str
    diagnoses: tuple[str, ...] = ()
    taxonomy: str = ""


@dataclass(slots=True)
class _Claim:
    key: tuple[object, ...]
    charges: list[Charge]
    diagnoses: set[str]


def form_for(dental: bool, demands: frozenset[str]) -> Form:
    """The form of a service: medical work goes on a facility's bill where the payer wants that."""
    if dental:
        return Form.DENTAL
    return Form.INSTITUTIONAL if FACILITY in demands else Form.PROFESSIONAL


def split(charges: Sequence[Charge], demands: frozenset[str]) -> list[tuple[Charge, ...]]:
    """The claims these charges make, in the order of their first charges."""
    open_claims: dict[tuple[object, ...], _Claim] = {}
    made: list[_Claim] = []
    for charge in charges:
        key = (
            charge.form,
            charge.taxonomy,
            charge.provider_id if ONE_PROVIDER in demands else None,
            charge.place if ONE_PLACE in demands else None,
        )
        claim = open_claims.get(key)
        if claim is None or not _fits(claim, charge):
            claim = open_claims[key] = _Claim(key, [], set())
            made.append(claim)
        claim.charges.append(charge)
        claim.diagnoses |= set(charge.diagnoses)
    return [tuple(claim.charges) for claim in made]


def _fits(claim: _Claim, charge: Charge) -> bool:
    together = claim.diagnoses | set(charge.diagnoses)
    return len(claim.charges) < MOST_LINES[charge.form] and len(together) <= MOST_DIAGNOSES[charge.form]
