"""What a change of the setup is about: the words of its page, and the page."""

from __future__ import annotations

from collections.abc import Mapping

# The subject of a change by the first part of its act: its words and its page.
SUBJECTS: Mapping[str, tuple[str, str]] = {
    "arrival": ("Arrival steps", "/setup/arrival"),
    "book": ("Sites and rooms", "/setup/sites"),
    "claims": ("Payers’ own rules", "/claims/payers"),
    "clinic": ("The clinic", "/setup/clinic"),
    "closure": ("Closed days", "/setup/closures"),
    "doors": ("Doors", "/setup/doors"),
    "day": ("Day, times and dates", "/setup/day"),
    "eligibility": ("Flags and checks", "/setup/flags"),
    "field": ("Custom fields", "/setup/fields"),
    "fees": ("Contract fees", "/plans"),
    "form": ("Forms", "/setup/forms"),
    "headsup": ("Heads-ups", "/setup/headsups"),
    "hours": ("Hours", "/setup/hours"),
    "payer": ("Payers", "/plans"),
    "people": ("People and roles", "/setup/people"),
    "plan": ("Plans", "/plans"),
    "provider": ("Providers", "/setup/providers"),
    "role": ("People and roles", "/setup/people"),
    "room": ("Sites and rooms", "/setup/sites"),
    "service": ("Services and fees", "/setup/services"),
    "set": ("Service sets", "/setup/sets"),
    "site": ("Sites and rooms", "/setup/sites"),
    "stage": ("Day, times and dates", "/setup/day"),
    "type": ("Visit types", "/setup/types"),
    "wall": ("Day, times and dates", "/setup/day"),
    "setup.call_weights": ("Call sheet", "/setup/calls"),
    "setup.digest": ("Providers’ mail", "/setup/messages/providers"),
    "setup.discount": ("Money", "/setup/money"),
    "setup.flag": ("Flags", "/setup/flags"),
    "setup.gateway": ("Messages", "/setup/messages"),
    "setup.imported": ("Import and export", "/import"),
    "setup.messages": ("Messages", "/setup/messages"),
    "setup.money": ("Money", "/setup/money"),
    "setup.notice_rule": ("Messages", "/setup/messages"),
    "setup.offers": ("Offers", "/setup/offers"),
    "setup.online": ("Asking online", "/setup/online"),
    "setup.product": ("Money", "/setup/money"),
    "setup.quiet_hours": ("Messages", "/setup/messages"),
    "setup.reason": ("Money", "/setup/money"),
    "setup.recall_type": ("Recalls", "/setup/recalls"),
    "setup.reply_words": ("Replies", "/setup/messages/replies"),
    "setup.returns_rise": ("Returns", "/setup/returns"),
    "setup.tender": ("Money", "/setup/money"),
}


def subject_of(act: str) -> tuple[str, str]:
    """Its words and its page; Setup itself for what has none of its own."""
    return SUBJECTS.get(act) or SUBJECTS.get(act.partition(".")[0], ("Setup", "/setup"))


def acts_of(page: str, known: Mapping[str, tuple[str, str]] = SUBJECTS) -> tuple[str, ...]:
    """The beginnings of the acts that change what is on a page."""
    return tuple(begin for begin, (_, href) in known.items() if href == page)
