"""Heads-ups: messages that show when their conditions hold. Conditions are data and are compiled once, so
that a whole day is quickly asked.

A condition is a tree of plain JSON: `{"all": [...]}`, `{"any": [...]}`, `{"not": {...}}`, or a leaf `{"fact":
name, "value": ...}`. The facts and what their values mean are in FACTS. What is not known (no birth date,
never here) makes a comparison false, but for "not here for more than ... days", which holds for somebody who
never came.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from zax.core.errors import Refused
from zax.core.json import Json, KeptJson
from zax.core.wording import dollars

Test = Callable[["About"], bool]
MOST_LEAVES = 40


class Place(StrEnum):
    """Where a heads-up may show."""

    BOOKING = "booking"
    ARRIVAL = "arrival"
    CHECKOUT = "checkout"
    RECORD = "record"


PLACE_WORDS = {
    Place.BOOKING: "when booking",
    Place.ARRIVAL: "at arrival",
    Place.CHECKOUT: "at checkout",
    Place.RECORD: "on the record",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class About:
    """What is known of a person for one visit (or none). `balance` is cents the patient owes, `days_since`
    the last visit, `overdue` days of a recall.

    `kinds` are coverage kinds that hold: insurer, public, dental, medical or none. `unsigned` are ids of
    forms never signed or due again. `own` are the clinic's own fields as name=value, and name= where nothing
    is in one.
    """

    first: str = ""
    last: str = ""
    flags: frozenset[int] = frozenset()
    age: int | None = None
    balance: int = 0
    days_since: int | None = None
    type_id: int = 0
    type_name: str = ""
    provider: str = ""
    diagnoses: tuple[str, ...] = ()
    kinds: frozenset[str] = frozenset()
    unsigned: frozenset[int] = frozenset()
    overdue: int | None = None
    gaps: frozenset[str] = frozenset()
    missing: str = ""
    own: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Fact:
    """One kind of leaf: its words, and what its value is: number, money, code, choice (of setup)
    or nothing.
    """

    words: str
    value: str


FACTS: Mapping[str, Fact] = {
    "flag": Fact("has the flag", "choice"),
    "type": Fact("the visit is", "choice"),
    "kind": Fact("the coverage is", "choice"),
    "unsigned": Fact("has not signed", "choice"),
    "gap": Fact("something is missing", "choice"),
    "own": Fact("a custom field says", "choice"),
    "older": Fact("is older than (years)", "number"),
    "younger": Fact("is younger than (years)", "number"),
    "owes": Fact("owes more than ($)", "money"),
    "away": Fact("hasn’t been in for more than (days)", "number"),
    "recent": Fact("was in within the last (days)", "number"),
    "overdue": Fact("a recall is overdue by more than (days)", "number"),
    "diagnosis": Fact("has a diagnosis beginning with", "code"),
}
KIND_WORDS = {
    "none": "missing",
    "insurer": "with insurance",
    "public": "public",
    "dental": "dental",
    "medical": "medical",
}
GAP_WORDS = {
    "any": "anything",
    "bill": "to bill",
    "reach": "to reach them",
    "treat": "to treat them",
    "own": "for the clinic",
}
_PLACEHOLDER = re.compile(r"\{([^{}]*)\}")


def _begins(codes: Sequence[str], start: str) -> bool:
    for code in codes:  # noqa: SIM110 (any() over a generator costs three times as much)
        if code.startswith(start):
            return True
    return False


# What each leaf asks, `{v}` being the name of its value. Only these texts are ever compiled; values are
# handed over beside them.
_ASKS = {
    "flag": "{v} in a.flags",
    "type": "a.type_id == {v}",
    "kind": "{v} in a.kinds",
    "unsigned": "{v} in a.unsigned",
    "gap": "({v} in a.gaps or {v} == 'any' and len(a.gaps) > 0)",
    "own": "{v} in a.own",
    "older": "(a.age is not None and a.age > {v})",
    "younger": "(a.age is not None and a.age < {v})",
    "owes": "a.balance > {v}",
    "away": "(a.days_since is None or a.days_since > {v})",
    "recent": "(a.days_since is not None and a.days_since <= {v})",
    "overdue": "(a.overdue is not None and a.overdue > {v})",
    "diagnosis": "begins(a.diagnoses, {v})",
}


def compile_condition(tree: KeptJson) -> Test:
    """The tree as one function. An empty tree holds for everybody. Raises Refused for a tree that is not one
    of ours.

    Two hundred conditions are asked about everybody of a day in passing, and a tree of small functions takes
    three times as long as one expression; so the tree is written down as one, from fixed texts, and its
    values come along as names.
    """
    values: Json = {}
    source = _expression(tree, values) if tree else "True"
    made: Test = eval(f"lambda a: {source}", {"__builtins__": {"len": len}, "begins": _begins, **values})
    return made


def _expression(tree: KeptJson, values: Json) -> str:
    """The tree in words of Python; its values go into `values` under names of our own."""
    for join, word, nothing in (("all", " and ", "True"), ("any", " or ", "False")):
        if join in tree:
            return f"({word.join(_expression(each, values) for each in tree[join]) or nothing})"
    if "not" in tree:
        return f"(not {_expression(tree['not'], values)})"
    if tree.get("fact") not in FACTS or "value" not in tree:
        raise Refused("We don’t recognize this condition. Choose it again from the list.", "condition")
    name = f"v{len(values)}"
    values[name] = tree["value"]
    return _ASKS[tree["fact"]].format(v=name)


def leaves(tree: KeptJson) -> list[KeptJson]:
    """Every leaf of the tree, in order."""
    if "not" in tree:
        return leaves(tree["not"])
    inner = tree.get("all") or tree.get("any")
    return [leaf for each in inner for leaf in leaves(each)] if inner else [tree] if tree else []


def parse_value(name: str, typed: str) -> int | str:
    """A leaf's value as typed or chosen; Refused beside `condition`. Money becomes cents."""
    typed = typed.strip().lstrip("$")
    kind = FACTS[name].value
    if kind == "code":
        if not re.fullmatch(r"[A-Za-z][0-9][0-9A-Za-z.]{0,6}", typed):
            raise Refused("A diagnosis begins with a letter and a digit, such as E11.", "condition")
        return typed.upper()
    if kind == "choice":
        return int(typed) if typed.isdecimal() else typed
    if not re.fullmatch(r"[0-9]{1,6}(\.[0-9]{1,2})?" if kind == "money" else r"[0-9]{1,5}", typed):
        raise Refused(f"“{FACTS[name].words}” needs a number.", "condition")
    whole, _, part = typed.partition(".")
    return int(whole) * 100 + int(part.ljust(2, "0")) if kind == "money" else int(whole)


@dataclass(frozen=True, slots=True, kw_only=True)
class HeadsUp:
    """`holds` is the compiled condition; `words` says what is so, `todo` what to do about it."""

    id: int
    words: str
    todo: str
    places: frozenset[str]
    holds: Test
    warns: bool = False


def placeholders(about: About) -> dict[str, str]:
    """What the braces in a heads-up stand for."""
    return {
        "first": about.first,
        "last": about.last,
        "age": "age not known" if about.age is None else str(about.age),
        "balance": dollars(about.balance),
        "days": "first visit" if about.days_since is None else f"{about.days_since} days",
        "type": about.type_name,
        "provider": about.provider,
        "overdue": "" if about.overdue is None else f"{about.overdue} days",
        "missing": about.missing,
    }


def fill(words: str, about: About) -> str:
    """'{first} owes {balance}' with what is known of the person."""
    values = placeholders(about)
    return _PLACEHOLDER.sub(lambda found: values.get(found[1], found[0]), words)


def unknown_placeholders(words: str) -> list[str]:
    """The names in braces that mean nothing to us."""
    return [name for name in _PLACEHOLDER.findall(words) if name not in placeholders(About())]


def showing(
    heads_ups: Iterable[HeadsUp], about: About, place: str, dismissed: frozenset[int]
) -> list[HeadsUp]:
    """Those that hold for this person at this place and were not put away; those that warn first."""
    found = [h for h in heads_ups if place in h.places and h.id not in dismissed and h.holds(about)]
    return sorted(found, key=lambda h: not h.warns)


@dataclass(frozen=True, slots=True)
class HeadsUpSetup:
    """A heads-up compiled, beside its condition as it is edited."""

    headsup: HeadsUp
    condition: KeptJson
    active: bool
    version: int
