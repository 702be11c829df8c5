"""What an offer says to one of its people, filled from the clinic and the offer."""

from __future__ import annotations

from zax.core.followup.offer_words import Facts, language_of
from zax.desk.clinic.clinic import Clinic
from zax.store.followup.offers import Offer, OfferPerson


def facts_of(clinic: Clinic, offer: Offer, person: OfferPerson) -> Facts:
    site = clinic.sites[offer.site_id]
    return Facts(
        first=person.called,
        language=language_of(person.language),
        provider=clinic.providers[offer.provider_id].short,
        day=offer.day,
        start=offer.start_min,
        minutes=person.minutes,
        clinic=str(clinic.about["clinic_name"]),
        phone=site.phone,
        number=person.number,
        leaves=person.leaves_day,
    )
