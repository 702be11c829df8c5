"""The clinic's rules: by event and channel, on or off, and how long before or after. One for a visit type or
a site wins over the one for all, that of both over each.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from itertools import zip_longest

from zax.core.messages.channel import Channel
from zax.core.notices.events import EVENTS, Event
from zax.core.notices.lead import Lead, read_lead


@dataclass(frozen=True, slots=True)
class RuleKey:
    """Type and site 0 mean all."""

    event: str
    channel: str
    type_id: int = 0
    site_id: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """`again` is a second try where nobody has answered; `since` from when it holds, UTC; None as shipped."""

    key: RuleKey
    runs: bool
    lead: Lead
    again: Lead | None = None
    since: datetime | None = None
    version: int = 0

    def tries(self) -> list[Lead]:
        return [self.lead, self.again] if self.again else [self.lead]


def shipped_rule(event: Event, channel: Channel) -> Rule:
    """As it begins."""
    kind = EVENTS[event]

    def read(typed: str) -> Lead:
        return read_lead(typed, "lead", before=kind.before, after=True)

    again = kind.again.get(channel)
    return Rule(
        key=RuleKey(event, channel),
        runs=channel not in kind.off,
        lead=read(kind.ships[channel]),
        again=read(again) if again else None,
    )


@dataclass(frozen=True, slots=True)
class Rules:
    """All rules by their key, those that ship where the clinic has none of its own."""

    by_key: Mapping[RuleKey, Rule]

    def general(self, event: Event, channel: Channel) -> Rule:
        return self.by_key[RuleKey(event, channel)]

    def exceptions(self, event: Event, channel: Channel) -> list[Rule]:
        """Those for a type or a site alone."""
        return [
            rule
            for key, rule in self.by_key.items()
            if (key.event, key.channel) == (event, channel) and (key.type_id or key.site_id)
        ]

    def leads(self, event: Event, channel: Channel) -> list[list[Lead]]:
        """By try, the leads of every rule that runs; those for a type or a site with the one for all."""
        found = [self.general(event, channel), *self.exceptions(event, channel)]
        tries = [rule.tries() for rule in found if rule.runs]
        return [[each for each in tried if each] for tried in zip_longest(*tries)]

    def rule_for(self, event: Event, channel: Channel, type_id: int, site_id: int) -> Rule:
        """The one that holds there."""
        for key in (
            RuleKey(event, channel, type_id, site_id),
            RuleKey(event, channel, type_id),
            RuleKey(event, channel, 0, site_id),
        ):
            if key in self.by_key:
                return self.by_key[key]
        return self.general(event, channel)


def rules_from(kept: Iterable[Rule]) -> Rules:
    shipped = {
        RuleKey(event, channel): shipped_rule(event, channel)
        for event, kind in EVENTS.items()
        for channel in kind.by
    }
    return Rules({**shipped, **{rule.key: rule for rule in kept}})
