"""What somebody typed beside what is on file, field by field, with which of the two to take and why.

A default is only ever a proposal: nothing is taken before a person says so. What was left as it was shown
isn't a change of theirs; what changed here after they saw it is kept, and said.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from rapidfuzz import fuzz

from zax.core.coverage.member import member_key
from zax.core.patients.fields import FIELDS
from zax.core.patients.person import search_key

WITH_STREET = frozenset({"city", "state", "zip"})
_WORDS = {"emergency_relation": "Emergency, who", "emergency_phone": "Emergency phone"}
_SHORTER = 90
# Beside the picks of a row: the words as they stand, or that billing finds the plan.
AS_TYPED, LATER = "typed", "later"


@dataclass(frozen=True, slots=True)
class Pick:
    """An entry of one of the clinic's lists that may be meant; `key` is 'plan-3', 'doctor-2'."""

    key: str
    words: str
    points: int
    why: str


@dataclass(frozen=True, slots=True)
class Row:
    """One difference. `take` is the proposal: what was typed, or what is on file; `chosen` the key of a pick,
    or empty where a person has to choose.
    """

    key: str
    words: str
    on_file: str
    typed: str
    take: bool
    why: str
    picks: tuple[Pick, ...] = ()
    chosen: str = ""

    @property
    def must_choose(self) -> bool:
        """Taken, but of which entry isn't known."""
        return bool(self.picks) and not self.chosen


def compare_fields(
    on_file: Mapping[str, str],
    shown: Mapping[str, str],
    typed: Mapping[str, str],
    proven_phone: str,
) -> tuple[list[Row], list[str]]:
    """(rows that differ, words of the fields that are the same). All three are by field of the record, as it
    keeps them: phones as ten digits.
    """
    rows: list[Row] = []
    same: list[str] = []
    for name, text in typed.items():
        words = _WORDS.get(name, FIELDS[name].words)
        if _equal(name, text, on_file[name]):
            if text:
                same.append(words)
            continue
        was_shown = shown.get(name, "")
        if _equal(name, text, was_shown):
            if text:
                same.append(words)  # left as it was; what changed since was changed here
            continue
        take, why = _proposal(name, on_file[name], was_shown, text, proven_phone)
        rows.append(Row(name, words, on_file[name], text, take, why))
    return _with_the_street(rows), same


def _proposal(name: str, on_file: str, shown: str, typed: str, proven_phone: str) -> tuple[bool, str]:
    if not typed:
        return False, "they left it empty"
    if not on_file:
        return True, "fills a blank"
    if not _equal(name, on_file, shown) and shown:
        return False, "changed here since they saw it"
    if name == "phone" and typed == proven_phone:
        return True, "the code reached it"
    if _is_shorter(typed, on_file):
        return False, "the same, only shorter"
    if _equal(name, on_file, shown):
        return True, "they changed it"
    return True, "newer"


def _with_the_street(rows: Sequence[Row]) -> list[Row]:
    """City, state and ZIP go with the street they belong to."""
    street = next((row for row in rows if row.key == "street"), None)
    if street is None:
        return list(rows)
    return [
        (
            Row(row.key, row.words, row.on_file, row.typed, street.take, "goes with the street")
            if row.key in WITH_STREET and row.typed and row.on_file
            else row
        )
        for row in rows
    ]


def _equal(name: str, one: str, other: str) -> bool:
    if name in {"zip", "phone", "home_phone", "emergency_phone"}:
        return member_key(one)[:5] == member_key(other)[:5] if _short_zip(name, one, other) else one == other
    return search_key(one).replace(".", "") == search_key(other).replace(".", "")


def _short_zip(name: str, one: str, other: str) -> bool:
    """98201 and 98201-1234 are one as far as either says."""
    return name == "zip" and min(len(one), len(other)) == 5


def _is_shorter(typed: str, on_file: str) -> bool:
    one, other = search_key(typed), search_key(on_file)
    return len(one) < len(other) and fuzz.token_set_ratio(_bare(one), _bare(other)) >= _SHORTER


def _bare(text: str) -> str:
    return " ".join(word for word in text.split() if word not in {"the", "a", "at", "of"})


@dataclass(frozen=True, slots=True, kw_only=True)
class CardTyped:
    """What was typed of an insurance; `has` is '', 'yes' or 'no'."""

    has: str = ""
    payer: str = ""
    member: str = ""
    group: str = ""
    whose: str = ""
    holder: str = ""

    @property
    def says_something(self) -> bool:
        return self.has == "no" or bool(self.payer or self.member or self.group)


@dataclass(frozen=True, slots=True, kw_only=True)
class CardOnFile:
    """The first coverage of that kind; an empty plan for none."""

    plan_key: str = ""
    plan: str = ""
    member: str = ""
    group: str = ""


def compare_card(
    kind: str, on_file: CardOnFile, typed: CardTyped, picks: Sequence[Pick], chosen: str
) -> list[Row]:
    """The rows of one insurance, 'dental' or 'medical': payer, member ID, group, whose plan. Keys begin with
    the kind.
    """
    name = kind.capitalize()
    if not typed.says_something:
        return []
    if typed.has == "no":
        if not on_file.plan:
            return []
        return [
            Row(f"{kind}-none", f"{name} insurance", on_file.plan, "has none now", False, "ask them first")
        ]
    rows: list[Row] = []
    new_payer = bool(typed.payer) and (not on_file.plan or chosen != on_file.plan_key)
    if new_payer:
        why = _why_payer(on_file.plan, picks, chosen)
        rows.append(
            Row(
                f"{kind}-payer",
                f"{name} payer",
                on_file.plan,
                f"“{typed.payer}”",
                True,
                why,
                tuple(picks),
                chosen,
            )
        )
    for part, words, have, said in (
        ("member", "member ID", on_file.member, typed.member),
        ("group", "group", on_file.group, typed.group),
    ):
        if said and member_key(said) != member_key(have):
            why = "goes with the payer" if new_payer else "as they typed it" if have else "fills a blank"
            rows.append(Row(f"{kind}-{part}", f"{name} {words}", have, said, True, why))
    if typed.whose not in {"", "self"} and rows:
        rows.append(Row(f"{kind}-whose", f"{name} plan is", "", typed.holder, True, "goes with the payer"))
    return rows


def _why_payer(on_file: str, picks: Sequence[Pick], chosen: str) -> str:
    if chosen:
        return "one of our plans is meant" if on_file else "fills a blank"
    if not picks:
        return "none of our plans comes near"
    return f"{len(picks)} of our plans come near" if len(picks) > 1 else "one of our plans comes near"


def compare_name(
    key: str, words: str, on_file: str, typed: str, picks: Sequence[Pick], chosen: str
) -> list[Row]:
    """A name that one of the clinic's lists may have: a doctor, an employer."""
    if not typed or search_key(typed) == search_key(on_file):
        return []
    if on_file and _is_shorter(typed, on_file):
        return [
            Row(
                key,
                words,
                on_file,
                f"“{typed}”",
                False,
                "the same, only shorter",
                tuple(picks),
                chosen or AS_TYPED,
            )
        ]
    why = "fills a blank" if not on_file else "newer"
    if picks and not chosen:
        why = f"{len(picks)} of our list come near" if len(picks) > 1 else "one of our list comes near"
    return [Row(key, words, on_file, f"“{typed}”", True, why, tuple(picks), chosen or AS_TYPED)]
