"""What a message says: the clinic's words with places in braces, filled from one visit or one patient.

Words are checked when they are kept, not when they go out: a place that nothing fills is refused, so nobody
ever reads a brace. Places are filled once, so that a brace in a name is never taken for a place. A line break
in a value becomes a space: no value can begin a new header or a new line of a mail.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from zax.core.errors import ProblemCollector
from zax.core.messages.channel import Channel
from zax.core.messages.language import Language, day_in
from zax.core.notices.events import EVENTS, Event, Seen
from zax.core.notices.originals import Variant, Words
from zax.core.remits.letters import in_places, places_of
from zax.core.wording import clock_words

LONGEST_TEXT, LONGEST_MAIL, LONGEST_SUBJECT = 480, 4_000, 120
_BROKEN = re.compile(r"[\r\n\t\x00-\x1f\x7f\u2028\u2029]+")

_PERSON = {"first": "the first name, or the name they use"}
_CLINIC = {"clinic": "the clinic", "phone": "the clinic’s phone"}
_VISIT = {
    "day": "the day",
    "time": "the time",
    "provider": "with whom",
    "site": "the site",
    "address": "the site’s street and town",
    "map": "a link to the site on a map",
    "minutes": "how long it takes",
    "link": "a link to confirm or cancel with one press",
}
_SEVERAL = {"visits": "each visit with its time and whom it’s with"}
_DAY = {"day": "the day"}
_PAPER = {"paper": "the link to the paper, or that it’s attached"}
_FORMS = {"forms": "the link to fill them in, or that they please come early"}
_NO_LINK = {
    Language.ENGLISH: "Please come 10 minutes early.",
    Language.SPANISH: "Por favor venga 10 minutos antes.",
}
_WITH_LINK = {Language.ENGLISH: "Fill it in here: {}", Language.SPANISH: "Puede llenarlo aqui: {}"}


def places_for(event: Event, variant: Variant = Variant.USUAL) -> Mapping[str, str]:
    """The places these words may have, with what fills them."""
    about: dict[str, str] = {}
    if EVENTS[event].of_visits or event in {Event.BOOKED, Event.MOVED, Event.CANCELED, Event.CLOSED}:
        about = _VISIT
    elif EVENTS[event].seen is Seen.DAY:
        about = _DAY
    elif EVENTS[event].seen is Seen.HAND:
        about = _PAPER
    if event is Event.FORM and variant is not Variant.SEVERAL:
        about = {**about, **_FORMS}
    if variant is Variant.SEVERAL:
        return {**_CLINIC, **about, **_SEVERAL}
    return {**_PERSON, **_CLINIC, **about}


def checked(words: Words, event: Event, channel: Channel, variant: Variant) -> Words:
    """Words that may be kept. Raises Problems beside `body` and `subject`."""
    body, subject = words.body.replace("\r\n", "\n").strip(), " ".join(words.subject.split())
    allowed = places_for(event, variant)
    longest = LONGEST_MAIL if channel is Channel.EMAIL else LONGEST_TEXT
    with ProblemCollector() as wrong:
        if not body:
            wrong.add("body", "These words are empty. To send nothing, switch the message off.")
        if len(body) > longest:
            wrong.add("body", f"Keep it to {longest} characters.")
        if channel is Channel.EMAIL and not subject:
            wrong.add("subject", "An email needs a subject.")
        if len(subject) > LONGEST_SUBJECT:
            wrong.add("subject", f"Keep the subject to {LONGEST_SUBJECT} characters.")
        for name, text in (("body", body), ("subject", subject)):
            unknown = [place for place in places_of(text) if place not in allowed]
            if unknown:
                wrong.add(name, f"{{{unknown[0][:30]}}} isn’t a place we can fill. Pick one below.")
            elif text.count("{") != text.count("}") or len(places_of(text)) != text.count("{"):
                wrong.add(name, "There is a brace without its other half.")
    return Words(body, subject if channel is Channel.EMAIL else "")


@dataclass(frozen=True, slots=True, kw_only=True)
class VisitFacts:
    """One visit as a message names it; `first` is whose it is."""

    first: str
    day: date
    start: int
    minutes: int
    provider: str
    site: str
    address: str
    map_link: str


@dataclass(frozen=True, slots=True, kw_only=True)
class MessageFacts:
    """Who is written to and what about. `visits` are in the order of their times; `day` where no visit is
    meant; `forms` is the link to their registration.
    """

    first: str
    language: Language
    clinic: str
    phone: str
    visits: Sequence[VisitFacts] = ()
    day: date | None = None
    link: str = ""
    paper: str = ""
    forms: str = ""
    for_another: bool = False


def filled(words: Words, facts: MessageFacts) -> Words:
    """The words with every place filled."""
    values = {name: _one_line(value) for name, value in _values(facts).items()}
    return Words(in_places(words.body, values), _one_line(in_places(words.subject, values)))


def _one_line(value: str) -> str:
    return " ".join(_BROKEN.sub(" ", value).split())


def _values(facts: MessageFacts) -> dict[str, str]:
    values = {"first": facts.first, "clinic": facts.clinic, "phone": facts.phone, "paper": facts.paper}
    if facts.day is not None:
        values["day"] = day_in(facts.day, facts.language)
    if not facts.visits:
        return values
    first = facts.visits[0]
    return values | {
        "day": day_in(first.day, facts.language),
        "time": clock_words(first.start),
        "provider": first.provider,
        "site": first.site,
        "address": first.address,
        "map": first.map_link,
        "minutes": str(first.minutes),
        "visits": _list(facts),
        "link": facts.link or facts.phone,
        "forms": _WITH_LINK[facts.language].format(facts.forms) if facts.forms else _NO_LINK[facts.language],
    }


def _list(facts: MessageFacts) -> str:
    """'2:15 pm Tamsin with Petra Okwu, 3:00 pm Leo with Dr. Wren'; names only where there are several
    people.
    """
    spanish = facts.language is Language.SPANISH
    names = facts.for_another or len({each.first for each in facts.visits}) > 1
    parts = [
        f"{clock_words(each.start)}{f' {each.first}' if names else ''} {'con' if spanish else 'with'}"
        f" {each.provider}"
        for each in facts.visits
    ]
    return ", ".join(parts)
