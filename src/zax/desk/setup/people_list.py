"""Everyone who signs in, as the manager sees them: role, second factor, when last, what is to be done."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from zax.clock import local, system_now
from zax.desk.clinic.clinic import Clinic
from zax.store.engine import Connection
from zax.store.people import sessions
from zax.store.people.last_seen import last_signed_in
from zax.store.people.links import open_links
from zax.store.people.people import User, all_users

LOOK_BACK = timedelta(days=400)


@dataclass(frozen=True, slots=True)
class PersonRow:
    """`now`: signed in at this moment. `last` is the clinic's wall clock, None for longer ago than a year;
    `invited_until` until when the link of somebody who never signed in works, None when it is over.
    """

    user: User
    now: bool
    last: datetime | None
    invited: bool
    invited_until: datetime | None


def people_list(connection: Connection, clinic: Clinic, now: datetime) -> list[PersonRow]:
    """Who is here by name, then who left. `now` is UTC by the clinic's clock."""
    zone = clinic.first_site.timezone
    here = {each.user_id for each in sessions.open_sessions(connection, system_now())}
    last, links = last_signed_in(connection, now - LOOK_BACK), open_links(connection, system_now())
    return [
        PersonRow(
            user=each,
            now=each.id in here,
            last=local(last[each.id], zone) if each.id in last else None,
            invited=each.active and not each.password_hash,
            invited_until=local(links[each.id].until, zone) if each.id in links else None,
        )
        for each in all_users(connection)
    ]
