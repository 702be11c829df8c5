"""Whether and where somebody can be reached: their own wish for this kind of message comes first, then what
is on file and what is known of it. A child is written to through the guarantor.

Each answer is the address or the reason why not, in words, so a list can say whom it leaves out and why.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from zax.core.messages.channel import Channel
from zax.core.patients.person import age_on

OF_AGE = 18
_WISHES = {"text": Channel.TEXT, "email": Channel.EMAIL, "call": Channel.CALL, "post": Channel.LETTER}
_TOPICS = {"reminders": "reminders", "recalls": "recalls", "money": "bills", "news": "news"}
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


@dataclass(frozen=True, slots=True)
class Known:
    """What is known of an address: `landline` takes no texts, `trouble` says why nothing goes there
    anymore.
    """

    landline: bool = False
    trouble: str = ""


NOTHING_KNOWN: Mapping[str, Known] = {}


def way(
    person: Reachable,
    channel: Channel,
    today: date,
    topic: str = "recalls",
    known: Mapping[str, Known] = NOTHING_KNOWN,
) -> Way:
    """How this channel reaches them about a topic (zax.core.patients.fields.TOPICS)."""
    if person.status != "active":
        return Way(why_not=person.status)
    wish = person.wishes.get(topic, "")
    if wish == "none":
        return Way(why_not=f"opted out of {_TOPICS[topic]}")
    wanted = _WISHES.get(wish)
    if wanted is not None and wanted is not channel:
        return Way(why_not=_WISH_WORDS[wanted])
    reader = person.guarantor if is_child(person.birth, today) and person.guarantor else person
    return _fit(_address(reader, channel), channel, known)


def is_child(birth: date | None, today: date) -> bool:
    return birth is not None and age_on(birth, today) < OF_AGE


def _fit(found: Way, channel: Channel, known: Mapping[str, Known]) -> Way:
    about = known.get(found.to, Known())
    if about.trouble:
        return Way(why_not=about.trouble)
    if about.landline and channel is Channel.TEXT:
        return Way(why_not="a landline takes no texts")
    return found


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
