"""The lists a clinic can bring along, in the order in which it does: what others name comes first."""

from __future__ import annotations

from collections.abc import Mapping

from zax.core.errors import NotFound
from zax.desk.moving.balances import BALANCES
from zax.desk.moving.documents import DOCUMENTS
from zax.desk.moving.patients import PATIENT_LIST
from zax.desk.moving.payers import PAYERS, PLANS
from zax.desk.moving.people import DOCTORS, PROVIDERS
from zax.desk.moving.services import SERVICES
from zax.desk.moving.taking import ListIn
from zax.desk.moving.visits import VISITS

LISTS: Mapping[str, ListIn] = {
    each.key: each
    for each in (
        *(SERVICES, PAYERS, PLANS, PROVIDERS, DOCTORS),
        *(PATIENT_LIST, BALANCES, VISITS, DOCUMENTS),
    )
}


def list_of(key: str) -> ListIn:
    """NotFound for what is no list."""
    if key not in LISTS:
        raise NotFound("Zax takes in no such list.")
    return LISTS[key]
