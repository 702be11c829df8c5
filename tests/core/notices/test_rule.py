"""Which rule holds where, and which leads its tries may have."""

from __future__ import annotations

from itertools import product

from hypothesis import given
from hypothesis import strategies as st

from zax.core.messages.channel import Channel
from zax.core.notices.events import EVENTS, Event
from zax.core.notices.lead import Lead, LeadUnit
from zax.core.notices.rule import Rule, RuleKey, rules_from

DAYS = st.integers(0, 30).map(lambda count: Lead(count, LeadUnit.DAY, True, 960))
REMINDER = (Event.REMINDER, Channel.TEXT)
PLACES = list(product((0, 1, 2), (0, 1, 2)))


@st.composite
def kept(draw: st.DrawFn) -> list[Rule]:
    """Rules for the reminder by text, each type and site at most once."""
    where = draw(st.lists(st.sampled_from(PLACES), unique=True))
    return [
        Rule(
            key=RuleKey(*REMINDER, type_id, site_id),
            runs=draw(st.booleans()),
            lead=draw(DAYS),
            again=draw(st.none() | DAYS),
        )
        for type_id, site_id in where
    ]


def test_every_event_ships_with_a_rule_for_every_channel_it_can_go_by() -> None:
    shipped = rules_from([])
    for event, channel in [(event, each) for event, kind in EVENTS.items() for each in kind.by]:
        rule = shipped.rule_for(event, channel, 7, 9)
        assert rule == shipped.general(event, channel)
        assert rule.runs == (channel not in EVENTS[event].off)


@given(kept(), st.sampled_from(PLACES))
def test_the_nearest_rule_holds_type_before_site(own: list[Rule], place: tuple[int, int]) -> None:
    type_id, site_id = place
    found = rules_from(own).rule_for(*REMINDER, type_id, site_id)
    there = {(rule.key.type_id, rule.key.site_id): rule for rule in own}
    wanted = [(type_id, site_id), (type_id, 0), (0, site_id), (0, 0)]
    nearest = next((there[each] for each in wanted if each in there), None)
    assert found == (nearest or rules_from([]).general(*REMINDER))


@given(kept())
def test_the_leads_of_the_tries_are_those_of_every_rule_that_runs_and_of_no_other(own: list[Rule]) -> None:
    """Whatever rule holds for an occasion, its lead is among those by which the window was chosen."""
    rules = rules_from(own)
    leads = rules.leads(*REMINDER)
    assert all(leads), "a try that nobody makes isn't asked for"
    said = [set(of_try) for of_try in leads]
    for type_id, site_id in PLACES:
        rule = rules.rule_for(*REMINDER, type_id, site_id)
        for number, lead in enumerate(rule.tries() if rule.runs else []):
            assert lead in said[number]
    running = [rule for rule in [rules.general(*REMINDER), *rules.exceptions(*REMINDER)] if rule.runs]
    assert sum(len(of_try) for of_try in leads) == sum(len(rule.tries()) for rule in running)


def test_what_is_off_everywhere_has_no_tries() -> None:
    off = Rule(key=RuleKey(*REMINDER), runs=False, lead=Lead(2, LeadUnit.DAY, True, 960))
    assert rules_from([off]).leads(*REMINDER) == []
