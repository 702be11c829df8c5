"""Whether and where somebody can be reached about what they are due for: their own wish comes first, then
what is on file. A child is written to through the guarantor.

Each answer is the address or the reason why not, in words, so a list can say whom it leaves out and why.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from zax.core.followup.recall import Channel
from zax.core.patients.person import age_on

OF_AGE = 18
TOPIC = "recalls"
_WISHES = {"text": Channel.TEXT, "email": Channel.EMAIL, "call": Channel.CALL, "post": Channel.LETTER}
_WISH_WORDS = {
    Channel.TEXT: "wants texts",
    Channel.EMAIL: "wants email",
    Channel.CALL: "wants calls",
    Channel.LETTER: "wants letters",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Reachable:
    """What is on file of one person; `guarantor` of the one who answers for a child. `wishes` is by topic."""

    birth: date | None
    status: str
    phone: str
    texts_to: str
    home_phone: str
    work_phone: str
    email: str
    street: str
    wishes: Mapping[str, str]
    guarantor: Reachable | None = None


@dataclass(frozen=True, slots=True)
class Way:
    """Where it goes; `why_not` says why nowhere."""

    to: str = ""
    why_not: str = ""


def way(person: Reachable, channel: Channel, today: date) -> Way:
    """How this channel reaches them about a recall."""
    if person.status != "active":
        return Way(why_not=person.status)
    wish = person.wishes.get(TOPIC, "")
    if wish == "none":
        return Way(why_not="opted out of recalls")
    wanted = _WISHES.get(wish)
    if wanted is not None and wanted is not channel:
        return Way(why_not=_WISH_WORDS[wanted])
    child = person.birth is not None and age_on(person.birth, today) < OF_AGE
    reader = person.guarantor if child and person.guarantor else person
    return _address(reader, channel)


def text_or_call(person: Reachable, today: date) -> tuple[Channel, Way]:
    """By text; by a call for whoever wants calls or can't be texted; else why they can't be texted."""
    text = way(person, Channel.TEXT, today)
    if text.to:
        return Channel.TEXT, text
    call = way(person, Channel.CALL, today)
    return Channel.CALL, call if call.to else text


def _address(person: Reachable, channel: Channel) -> Way:
    phones = {"phone": person.phone, "home": person.home_phone, "work": person.work_phone}
    match channel:
        case Channel.TEXT:
            if person.texts_to == "none":
                return Way(why_not="wants no texts")
            found, missing = phones.get(person.texts_to, ""), "no mobile phone"
        case Channel.EMAIL:
            found, missing = person.email, "no email address"
        case Channel.CALL:
            found = person.phone or person.home_phone or person.work_phone
            missing = "no phone"
        case Channel.LETTER:
            found, missing = person.street, "no address"
    return Way(to=found) if found else Way(why_not=missing)
