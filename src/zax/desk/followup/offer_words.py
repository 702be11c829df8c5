"""What an offer says to one of its people, filled from the clinic and the offer."""

from __future__ import annotations

from datetime import date

from zax.core.book.waitlist import Gap
from zax.core.followup.offer_words import Facts
from zax.core.messages.language import language_of
from zax.desk.clinic.clinic import Clinic
from zax.store.followup.offers import Offer, OfferPerson


def facts_of(clinic: Clinic, offer: Offer, person: OfferPerson) -> Facts:
    return facts_for(
        clinic,
        offer.gap,
        called=person.called,
        language=person.language,
        minutes=person.minutes,
        number=person.number,
        leaves=person.leaves_day,
    )


def facts_for(
    clinic: Clinic,
    gap: Gap,
    *,
    called: str,
    language: str,
    minutes: int,
    number: int = 1,
    leaves: date | None = None,
) -> Facts:
    """The same for somebody whom no offer has yet."""
    return Facts(
        first=called,
        language=language_of(language),
        provider=clinic.providers[gap.provider_id].short,
        day=gap.day,
        start=gap.start,
        minutes=minutes,
        clinic=str(clinic.about["clinic_name"]),
        phone=clinic.sites[gap.site_id].phone,
        number=number,
        leaves=leaves,
    )
