"""The facts of a new clinic’s list, read from its setup."""

from __future__ import annotations

from datetime import date

from zax.core.setup.first_days import Facts
from zax.desk.clinic.clinic import Clinic
from zax.desk.messages.gateway import SETTING as GATEWAY
from zax.desk.setup.hours import AHEAD, public_holidays
from zax.store.engine import Connection
from zax.store.people.people import active_user, active_users
from zax.store.setup.counts import any_patient, files_sent


def facts_of(connection: Connection, clinic: Clinic, today: date, user_id: int) -> Facts:
    """`today` is the day at the clinic; `user_id` who asks."""
    about, working = clinic.about, clinic.working(today)
    roles = {each.role for each in working}
    types = [each for each in clinic.types.values() if each.active]
    used = {service for each in types for service in each.services}
    me = active_user(connection, user_id)
    return Facts(
        providers=[each.short for each in working],
        without_hours=[each.short for each in working if not _works(clinic, each.id, today)],
        types_nobody_does=[each.name for each in types if each.role not in roles],
        holidays=len(public_holidays(clinic, clinic.first_site.id, today)),
        closed_days=sum(today <= each.start.date() <= today + AHEAD for each in clinic.hours.closures),
        patients=any_patient(connection),
        people=len(active_users(connection)),
        texts=GATEWAY in about,
        your_second=me is not None and me.second_at is not None,
        services=len(clinic.services),
        without_fee=[
            each.code for each in clinic.services.values() if each.id in used and not each.fee_cents
        ],
        limits_set=any(name.startswith("limit_") for name in about),
        float_set="drawer_float" in about,
        npi=bool(about.get("npi")),
        tax_id=bool(about.get("tax_id")),
        taxonomy=bool(about.get("taxonomy")),
        without_npi=[each.short for each in working if not each.npi],
        without_taxonomy=[each.short for each in working if not each.taxonomy],
        clearinghouse=clinic.has_clearinghouse,
        payers=len(clinic.payers),
        plans=len(clinic.plans),
        files_sent=files_sent(connection),
    )


def _works(clinic: Clinic, provider_id: int, today: date) -> bool:
    """Whether they have any hours from today on."""
    return any(
        each.to_day is None or each.to_day >= today for each in clinic.hours.rules.get(provider_id, ())
    )
