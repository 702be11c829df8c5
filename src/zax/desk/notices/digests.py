"""A provider's day by mail, the evening before and the morning of it. Each goes once: its key is the
provider, the day and which of the two.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from datetime import date, timedelta

from zax.clock import local
from zax.core.book.track import STOP_WORDS, Stop
from zax.core.errors import NotFound, Refused
from zax.core.messages.channel import Channel
from zax.core.messages.message import Sort
from zax.core.notices.digest import DigestVisit, digest
from zax.core.patients.fields import check_email
from zax.desk.acts.act import act, in_transaction
from zax.desk.acts.actor import WORKER
from zax.desk.acts.transaction import Desk, Transaction
from zax.desk.clinic.clinic import Clinic
from zax.desk.messages.writing import write_to
from zax.store.messages.messages import ids_of
from zax.store.notices.feeds import visits_between

SETTING = "digests"
# On the first site's wall clock, minutes: from when each goes, and until when it is of use.
EVENING, MORNING = (18 * 60, 23 * 60 + 59), (6 * 60, 12 * 60)


@dataclass(frozen=True, slots=True, kw_only=True)
class Digest:
    """Where one provider's day goes, when, and whether with names."""

    email: str = ""
    evening: bool = False
    morning: bool = False
    names: bool = False


def digests_of(clinic: Clinic) -> Mapping[int, Digest]:
    """By provider; those who get none are missing."""
    kept = clinic.about.get(SETTING)
    return {int(number): Digest(**each) for number, each in kept.items()} if isinstance(kept, dict) else {}


@act("setup")
def keep_digest(tx: Transaction, provider_id: int, wanted: Digest) -> None:
    """Refused beside `email` where there is none to send it to."""
    if provider_id not in tx.clinic.providers:
        raise NotFound("There is no such provider.")
    email = check_email(wanted.email, "email")
    if (wanted.evening or wanted.morning) and not email:
        raise Refused("Enter an email address to send the day to.", "email")
    kept = {str(number): asdict(each) for number, each in digests_of(tx.clinic).items()}
    kept[str(provider_id)] = asdict(wanted) | {"email": email}
    tx.keep_setting(SETTING, kept)
    tx.change_setup("setup.digest", provider=provider_id, **kept[str(provider_id)])


def write_digests(desk: Desk) -> int:
    """What is due now and hasn't gone; how many. For the worker."""
    return in_transaction(desk, WORKER, _write)


def _write(tx: Transaction) -> int:
    wall = local(tx.now, tx.clinic.first_site.timezone)
    minute, made = wall.hour * 60 + wall.minute, 0
    for provider_id, wanted in digests_of(tx.clinic).items():
        if wanted.evening and EVENING[0] <= minute <= EVENING[1]:
            made += _one(tx, provider_id, wanted, wall.date() + timedelta(days=1), "evening")
        if wanted.morning and MORNING[0] <= minute <= MORNING[1]:
            made += _one(tx, provider_id, wanted, wall.date(), "morning")
    return made


def _one(tx: Transaction, provider_id: int, wanted: Digest, day: date, which: str) -> int:
    """A day without visits sends nothing, until it has one."""
    key = f"digest-{provider_id}-{day}-{which}"
    if provider_id not in tx.clinic.providers or ids_of(tx.connection, [key]):
        return 0
    found = visits_between(tx.connection, day, day, provider_id=provider_id)
    if not found:
        return 0
    visits = [
        DigestVisit(
            start=each.start_min,
            minutes=each.minutes,
            first=each.first,
            last=each.last,
            kind=tx.clinic.types[each.type_id].name,
            site=tx.clinic.sites[each.site_id].name,
            stands=STOP_WORDS[Stop(each.state)].lower(),
        )
        for each in found
    ]
    provider = tx.clinic.providers[provider_id].short
    words = digest(provider, day, visits, wanted.names, str(tx.clinic.about["clinic_name"]))
    write_to(
        tx,
        Channel.EMAIL,
        wanted.email,
        words.body,
        key=key,
        sort=Sort.DIGEST,
        patient_id=None,
        subject=words.subject,
        why=f"{provider}’s day, {'the evening before' if which == 'evening' else 'that morning'}",
    )
    return 1
