"""What an offer says to people, English and Spanish: no word about health, plain letters that keep a text to
one message, and the clinic's name and phone.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.messages.language import Language, day_in
from zax.core.messages.reply import Meaning, Reading
from zax.core.spelling import plain_spelling
from zax.core.wording import clock_words, phone_words


@dataclass(frozen=True, slots=True, kw_only=True)
class Facts:
    """What the words are about; `number` above 1 tells this offer from others at that phone; `leaves` is the
    day of the visit they move.
    """

    first: str
    language: Language
    provider: str
    day: date
    start: int
    minutes: int
    clinic: str
    phone: str
    number: int = 1
    leaves: date | None = None

    @property
    def when(self) -> str:
        return f"{day_in(self.day, self.language)}, {clock_words(self.start)}"

    @property
    def signed(self) -> str:
        return f"{self.clinic}, {phone_words(self.phone)}"


def invitation(facts: Facts) -> str:
    number = f" {facts.number}" if facts.number > 1 else ""
    if facts.language is Language.SPANISH:
        return (
            f"Hola {facts.first}, {facts.provider} tiene un espacio {facts.when}, {facts.minutes} min."
            f" El primer SI{number} lo recibe. Responda SI{number} o NO{number}. {facts.signed}"
        )
    return (
        f"Hi {facts.first}, {facts.provider} has an opening {facts.when}, {facts.minutes} min. The first"
        f" YES{number} gets it. Reply YES{number} or NO{number}. {facts.signed}"
    )


def yours(facts: Facts) -> str:
    """To the first yes."""
    if facts.language is Language.SPANISH:
        instead = f", en lugar del {day_in(facts.leaves, facts.language)}" if facts.leaves else ""
        return (
            f"Es suyo, {facts.first}: {facts.when} con {facts.provider}{instead}. Nos vemos! {facts.clinic}"
        )
    instead = f", instead of {day_in(facts.leaves, facts.language)}" if facts.leaves else ""
    when = f"{facts.when} with {facts.provider}{instead}"
    return f"It's yours, {facts.first}: {when}. See you then! {facts.clinic}"


def too_late(facts: Facts) -> str:
    """To a later yes."""
    if facts.language is Language.SPANISH:
        return (
            f"Gracias, {facts.first}. Otra persona fue un poco antes y ese espacio ya no esta libre. Usted"
            f" conserva su lugar en nuestra lista. {facts.clinic}"
        )
    return (
        f"Thank you, {facts.first}. Someone was a little faster, so that time is gone. You keep your place on"
        f" our list. {facts.clinic}"
    )


def not_open(facts: Facts) -> str:
    """To all who heard of it, when the time went otherwise."""
    if facts.language is Language.SPANISH:
        return f"Hola {facts.first}, el espacio del {facts.when} ya no esta libre. Gracias! {facts.signed}"
    return (
        f"Hi {facts.first}, the opening {facts.when} is no longer free. You keep your place on our list."
        f" {facts.signed}"
    )


def stopped(clinic: str, phone: str) -> str:
    """To whoever said STOP: the one text that may still go."""
    return (
        f"You won't get texts from us anymore. Reply START to get them again. {clinic}, {phone_words(phone)}"
    )


def likely_which(offers: Sequence[Facts]) -> str:
    """To somebody whose yes could be for several times."""
    first = offers[0]
    times = " / ".join(f"{each.number}: {each.when}" for each in offers)
    if first.language is Language.SPANISH:
        return f"Cual le sirve? {times}. Responda SI y el numero."
    return f"Which time would you like? {times}. Reply YES and its number."


def likely_answer(reading: Reading, said: str, facts: Facts) -> str:
    """What a person would most likely write back; they read it before it goes."""
    spanish = facts.language is Language.SPANISH
    if reading.urgent:
        return f"{facts.first}, please call us now: {phone_words(facts.phone)}. {facts.clinic}"
    plain = plain_spelling(said).lower()
    ends = clock_words(facts.start + facts.minutes)
    if reading.meaning is Meaning.QUESTION and any(each in plain for each in ("long", "time", "dura")):
        return (
            f"Son {facts.minutes} minutos, hasta las {ends}."
            if spanish
            else f"{facts.minutes} minutes, out by {ends}."
        )
    if reading.meaning is Meaning.QUESTION and any(
        each in plain for each in ("who", "doctor", "dr", "quien")
    ):
        return f"Con {facts.provider}." if spanish else f"With {facts.provider}."
    if reading.meaning is Meaning.OTHER_TIME:
        return (
            f"Ese espacio es {facts.when}. Si no le sirve, le avisamos del proximo."
            if spanish
            else f"This opening is {facts.when}. If it doesn't work, we'll let you know about the next one."
        )
    return (
        f"Quiere el espacio {facts.when}? Responda SI o NO."
        if spanish
        else f"Would you like the opening {facts.when}? Reply YES or NO."
    )
