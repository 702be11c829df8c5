"""The clinic's rules and words: read, changed, put back; and the one switch by which anything goes out by
itself.

A new clinic writes to nobody until somebody says so. What the switch or a rule let go from some moment on is
never sent for what happened before it.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from datetime import datetime

from zax.core.errors import ProblemCollector, Refused, Stale
from zax.core.messages.channel import Channel
from zax.core.messages.language import Language
from zax.core.notices.events import EVENTS, Event
from zax.core.notices.originals import Variant, Words, original
from zax.core.notices.rule import Rule, RuleKey, Rules, rules_from
from zax.core.notices.words import checked
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.desk.clinic.clinic import Clinic
from zax.store.clinic.settings import hold
from zax.store.engine import Connection
from zax.store.notices import rules as stored
from zax.store.notices.rules import WordsKey, WordsRow

SETTING = "notices"
_ADDRESS = re.compile(r"https?://[A-Za-z0-9.-]+(:\d{1,5})?(/[A-Za-z0-9._~/-]*)?")


@dataclass(frozen=True, slots=True, kw_only=True)
class Habits:
    """Whether anything goes by itself, since when (UTC); how fast: texts a minute, and messages about recalls
    an hour, so that the desk can answer. A call is tried `call_tries` times, `call_minutes` apart. A reply
    may cancel a visit until `cancel_hours` before it, by type where it has hours of its own; -1 is never.
    `address` is where patients reach our pages, for links; empty for none.
    """

    runs: bool = False
    since: str = ""
    texts_a_minute: int = 300
    recalls_an_hour: int = 20
    call_tries: int = 2
    call_minutes: int = 30
    cents_a_text: int = 2
    cancel_hours: int = 24
    cancel_by_type: Mapping[str, int] = field(default_factory=dict)
    address: str = ""

    @property
    def since_at(self) -> datetime | None:
        return datetime.fromisoformat(self.since) if self.since else None


LIMITS = {
    "texts_a_minute": (1, 6_000),
    "recalls_an_hour": (1, 2_000),
    "call_tries": (1, 3),
    "call_minutes": (5, 24 * 60),
    "cents_a_text": (0, 100),
    "cancel_hours": (-1, 14 * 24),
}


def habits_of(clinic: Clinic) -> Habits:
    kept = clinic.about.get(SETTING)
    return Habits(**kept) if isinstance(kept, dict) else Habits()


@act("setup")
def keep_habits(tx: Transaction, habits: Habits) -> None:
    """Raises Problems beside the fields. `since` is ours to say: from when it was switched on."""
    with ProblemCollector() as wrong:
        for name, (least, most) in LIMITS.items():
            if not least <= getattr(habits, name) <= most:
                wrong.add(name, f"Choose {least} to {most}.")
        if habits.address and not _ADDRESS.fullmatch(habits.address):
            wrong.add("address", "Write it like https://visits.example.org, or leave it empty for no links.")
    before = habits_of(tx.clinic)
    since = before.since if before.runs and habits.runs else tx.now.isoformat() if habits.runs else ""
    kept = asdict(replace(habits, since=since))
    tx.keep_setting(SETTING, kept)
    tx.change_setup("setup.messages", **kept)


def rules_of(connection: Connection) -> Rules:
    return rules_from(stored.rules(connection))


@act("setup")
def keep_rule(tx: Transaction, rule: Rule) -> None:
    """As it is from now on. Refused for an event, channel, type or site that isn't there, or a second try
    that doesn't come after the first; Stale when somebody changed it meanwhile.
    """
    hold(tx.connection, "notice_rules")
    _check_key(tx.clinic, rule.key)
    now = rules_of(tx.connection).by_key.get(rule.key)
    if now is not None and now.version != rule.version:
        raise Stale("Someone changed this rule since you opened it. Check it again, then save.")
    if rule.again is not None and not _comes_later(rule):
        raise Refused("The second try has to come after the first.", "again")
    stored.keep_rule(tx.connection, rule, tx.now)
    tx.change_setup(
        "setup.notice_rule",
        event=rule.key.event,
        channel=rule.key.channel,
        type=rule.key.type_id,
        site=rule.key.site_id,
        runs=rule.runs,
        lead=rule.lead.words,
        again=rule.again.words if rule.again else "",
    )


def _comes_later(rule: Rule) -> bool:
    """By days, then by real time: a span in hours is nearer to what it is about than any in days."""
    assert rule.again is not None
    first, second = rule.lead, rule.again
    if first.by_days and second.by_days:
        return (second.days, second.at_min or 0) > (first.days, first.at_min or 0)
    if not first.by_days and not second.by_days:
        return second.span > first.span
    return first.by_days == first.before


@act("setup")
def drop_exception(tx: Transaction, key: RuleKey) -> None:
    """A visit type or site has no rule of its own anymore."""
    hold(tx.connection, "notice_rules")
    if not key.type_id and not key.site_id:
        raise Refused("This rule is for everything. Switch it off instead.")
    stored.forget_rule(tx.connection, key)
    tx.change_setup("setup.notice_rule", event=key.event, channel=key.channel, type=key.type_id, dropped=True)


def _check_key(clinic: Clinic, key: RuleKey) -> None:
    kind = EVENTS.get(Event(key.event)) if key.event in list(Event) else None
    if kind is None or key.channel not in kind.by:
        raise Refused("There is no such message.")
    if key.type_id and key.type_id not in clinic.types:
        raise Refused("Choose a visit type from the list.", "type_id")
    if key.site_id and key.site_id not in clinic.sites:
        raise Refused("Choose a site from the list.", "site_id")


@dataclass(frozen=True, slots=True)
class WordBook:
    """All words of the clinic. `fell_back` of a found one says that another language had to do."""

    kept: Mapping[WordsKey, WordsRow]

    def own(
        self, event: Event, channel: Channel, language: Language, variant: Variant, type_id: int
    ) -> WordsRow | None:
        """What the clinic wrote for exactly this; None where the original holds."""
        row = self.kept.get((event, channel, language, variant, type_id))
        return row if row is not None and not row.shipped else None

    def exactly(
        self, event: Event, channel: Channel, language: Language, variant: Variant, type_id: int
    ) -> Words | None:
        row = self.own(event, channel, language, variant, type_id)
        if row is not None:
            return Words(row.body, row.subject)
        return None if type_id else original(event, channel, language, variant)

    def find(
        self, event: Event, channel: Channel, language: Language, variant: Variant, type_id: int = 0
    ) -> tuple[Words, bool]:
        """The words that go out, and whether they are in another language than asked for: first the type's
        own in that language, then those for all, then English. A variant without words is said in the usual
        ones.
        """
        for tongue in dict.fromkeys((language, Language.ENGLISH)):
            for which, kind in (
                (type_id, variant),
                (0, variant),
                (type_id, Variant.USUAL),
                (0, Variant.USUAL),
            ):
                found = self.exactly(event, channel, tongue, kind, which)
                if found is not None:
                    return found, tongue is not language
        raise LookupError(f"no words for {event}")


def word_book(connection: Connection) -> WordBook:
    return WordBook(stored.words(connection))


@act("setup")
def keep_words(tx: Transaction, key: WordsKey, words: Words) -> Words:
    """A new version of them; as it is kept. Raises Problems beside `body` and `subject`."""
    event, channel, language, variant, type_id = key
    _check_words_key(tx.clinic, key)
    kept = checked(words, Event(event), Channel(channel), Variant(variant))
    _write(tx, key, kept, shipped=False)
    return kept


@act("setup")
def back_to_original(tx: Transaction, key: WordsKey) -> None:
    """The words that ship, or for a visit type those for all; the clinic's own stay among the versions."""
    _check_words_key(tx.clinic, key)
    _write(tx, key, Words(""), shipped=True)


def _check_words_key(clinic: Clinic, key: WordsKey) -> None:
    event, channel, language, variant, type_id = key
    _check_key(clinic, RuleKey(event, channel, type_id))
    known = language in list(Language) and variant in list(Variant)
    if not known or original(Event(event), Channel(channel), Language(language), Variant(variant)) is None:
        raise Refused("There are no such words.")


def _write(tx: Transaction, key: WordsKey, words: Words, *, shipped: bool) -> None:
    event, channel, language, variant, type_id = key
    stored.add_words(
        tx.connection,
        event=event,
        channel=channel,
        language=language,
        variant=variant,
        type_id=type_id,
        subject=words.subject,
        body=words.body,
        shipped=shipped,
        at=tx.now,
        by_id=tx.actor.id,
    )
    tx.audit("setup.notice_words", event=event, channel=channel, language=language, shipped=shipped)
    tx.tell("setup")
