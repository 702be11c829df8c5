"""One message of the setup, opened: when it goes, its words by language, visit type and kind, a preview with
a real visit, how many texts it makes, earlier versions, and a test to oneself.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import timedelta
from urllib.parse import urlencode

from zax.core.errors import NotFound
from zax.core.messages.channel import Channel
from zax.core.messages.language import LANGUAGE_WORDS, Language
from zax.core.notices.events import EVENTS, Event
from zax.core.notices.originals import Variant, Words, original
from zax.core.notices.rule import Rules
from zax.core.notices.words import MessageFacts, filled, places_for
from zax.core.reading import reference
from zax.desk.notices.facts import facts_for, visit_facts
from zax.desk.notices.forecast import foreseen
from zax.desk.notices.rules import word_book
from zax.store.book.queries import visits_by_id
from zax.store.engine import Connection
from zax.store.messages.messages import last_tests
from zax.store.notices.preview import visits_to_show
from zax.store.notices.rules import WordsKey, versions
from zax.store.patients.patients import patients_of
from zax.web.shell.request_context import RequestContext

VARIANT_WORDS = {
    Variant.USUAL: "usual",
    Variant.AGAIN: "second try",
    Variant.SEVERAL: "several visits",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Cell:
    """Which words are looked at: type and site 0 are for all."""

    event: Event
    channel: Channel
    language: Language = Language.ENGLISH
    variant: Variant = Variant.USUAL
    type_id: int = 0
    site_id: int = 0

    @property
    def key(self) -> WordsKey:
        return (self.event, self.channel, self.language, self.variant, self.type_id)

    @property
    def address(self) -> str:
        parts: dict[str, str | int] = {
            "event": self.event,
            "channel": self.channel,
            "language": self.language,
        }
        if self.variant:
            parts["variant"] = self.variant
        if self.type_id:
            parts["type_id"] = self.type_id
        if self.site_id:
            parts["site_id"] = self.site_id
        return f"/setup/messages?{urlencode(parts)}"

    def but(self, **changes: object) -> str:
        """The address of another one near it."""
        return replace(self, **changes).address  # type: ignore[arg-type]


def cell_of(given: Mapping[str, str]) -> Cell | None:
    """From an address or a form; None where it names no message."""
    event, channel = given.get("event", ""), given.get("channel", "")
    if event not in list(Event) or channel not in EVENTS[Event(event)].by:
        return None
    language, variant = given.get("language", "en"), given.get("variant", "")
    return Cell(
        event=Event(event),
        channel=Channel(channel),
        language=Language(language) if language in list(Language) else Language.ENGLISH,
        variant=Variant(variant) if variant in list(Variant) else Variant.USUAL,
        type_id=reference(given.get("type_id", "")),
        site_id=reference(given.get("site_id", "")),
    )


def needed_cell(given: Mapping[str, str]) -> Cell:
    """The same where nothing can be done without one. Raises NotFound."""
    cell = cell_of(given)
    if cell is None:
        raise NotFound("There is no such message.")
    return cell


def beside(connection: Connection, ctx: RequestContext, cell: Cell, rules: Rules) -> dict[str, object]:
    """What the opened cell shows."""
    book = word_book(connection)
    own = book.own(cell.event, cell.channel, cell.language, cell.variant, cell.type_id)
    words, fell_back = book.find(cell.event, cell.channel, cell.language, cell.variant, cell.type_id)
    rule = rules.rule_for(cell.event, cell.channel, cell.type_id, cell.site_id)
    exact = rule.key.type_id == cell.type_id and rule.key.site_id == cell.site_id
    tomorrow = ctx.today + timedelta(days=1)
    ahead = foreseen(connection, ctx.clinic, rules, book, tomorrow, (cell.event, cell.channel))
    going = [each for each in ahead if each.to]
    return {
        "rule": rule,
        "exact": exact,
        "words": words,
        "own": own,
        "fell_back": fell_back,
        "places": places_for(cell.event, cell.variant),
        "variants": _variants(cell),
        "languages": LANGUAGE_WORDS,
        "versions": versions(connection, cell.key),
        "tomorrow": tomorrow,
        "ahead": len(going),
        "longer": sum(each.messages > 1 for each in going),
        "tests": last_tests(connection, 3),
    }


def _variants(cell: Cell) -> dict[Variant, str]:
    return {
        variant: words
        for variant, words in VARIANT_WORDS.items()
        if original(cell.event, cell.channel, cell.language, variant) is not None
    }


# Where a paper is, for a preview.
_PAPER = {
    Channel.EMAIL: "it’s attached to this email.",
    Channel.TEXT: "https://visits.example.org/p/a-secret",
    Channel.CALL: "",
}


def shown_with(connection: Connection, ctx: RequestContext, cell: Cell) -> MessageFacts | None:
    """A real visit to show the words with; None in a clinic that has none."""
    found = visits_to_show(connection, ctx.site_id, ctx.today, cell.type_id, 2)
    visits = list(visits_by_id(connection, found).values())
    if not visits:
        return None
    people = patients_of(connection, {visit.patient_id for visit in visits})
    reader = people[visits[0].patient_id]
    several = visits if cell.variant is Variant.SEVERAL else visits[:1]
    facts = [visit_facts(ctx.clinic, visit, people[visit.patient_id]) for visit in several]
    made = facts_for(ctx.clinic, reader, facts, visits[0].site_id, visits[0].day)
    return replace(made, language=cell.language, paper=_PAPER[cell.channel])


def filled_with(words: Words, shown: MessageFacts | None) -> Words | None:
    return filled(words, shown) if shown else None
