"""What a change of the setup did to its rows, as values that can be read and turned back: each row before and
after, by table and key.

Rule: a change is turned back only while its rows are still as it left them. Whatever came later, wherever it
was done, is never overwritten.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import TypeAlias

from zax.core.json import Json, KeptJson
from zax.core.wording import clock_words, money_words

Values: TypeAlias = Mapping[str, object]
# How a row goes by in words, by the first of its columns that has something.
_NAMES = ("name", "words", "code", "letters", "short", "first", "event")
# What says nothing to people.
_QUIET = frozenset({"id", "version", "position", "since_at", "ended_at"})
# Settings whose names end so are shown to nobody.
_SECRET = ("token", "secret", "gateway")
LONGEST_SAID = 160
_MOST_TOLD = 2


@dataclass(frozen=True, slots=True)
class RowChange:
    """`before` None: the row was made; `after` None: it was taken away. `key` are its primary columns."""

    table: str
    key: Values
    before: Values | None
    after: Values | None

    @property
    def back(self) -> RowChange:
        return RowChange(self.table, self.key, self.after, self.before)


def changes_to(changes: Iterable[RowChange]) -> list[Json]:
    return [
        {
            "table": each.table,
            "key": dict(each.key),
            "before": dict(each.before) if each.before is not None else None,
            "after": dict(each.after) if each.after is not None else None,
        }
        for each in changes
    ]


def changes_from(kept: Iterable[KeptJson]) -> list[RowChange]:
    return [RowChange(each["table"], each["key"], each["before"], each["after"]) for each in kept]


def said(changes: Sequence[RowChange]) -> str:
    """In words: 'Exam, regular: fee 62.00 to 64.00', 'Hygiene: new', and how many rows more."""
    told = [words for each in changes if (words := _said(each))]
    if not told:
        return ""
    more = len(told) - _MOST_TOLD
    words = "; ".join(told[:_MOST_TOLD]) + (f"; {more} more" if more > 0 else "")
    return words if len(words) <= LONGEST_SAID else words[: LONGEST_SAID - 1].rstrip() + "…"


def _said(change: RowChange) -> str:
    row = change.after or change.before or {}
    name = _name(change, row)
    if change.before is None:
        return f"{name}: new" if name else ""
    if change.after is None:
        return f"{name}: taken away" if name else ""
    if change.table == "setting":
        return _setting(str(change.key["name"]), change.before["value"], change.after["value"])
    fields = [
        _field(field, change.before.get(field), value)
        for field, value in change.after.items()
        if field not in _QUIET and change.before.get(field) != value
    ]
    if not fields:
        return ""
    more = f" and {len(fields) - _MOST_TOLD} more" if len(fields) > _MOST_TOLD else ""
    return (f"{name}: " if name else "") + ", ".join(fields[:_MOST_TOLD]) + more


def _setting(name: str, before: object, after: object) -> str:
    """'lock minutes 10 to 15'; what is a secret says only that it changed."""
    words = name.replace("_", " ")
    if name.endswith(_SECRET):
        return f"{words} changed"
    return _field(words, before, after)


def _name(change: RowChange, row: Values) -> str:
    if change.table == "setting":
        return "" if str(change.key["name"]).endswith(_SECRET) else str(change.key["name"]).replace("_", " ")
    return next((str(row[field]) for field in _NAMES if row.get(field)), "")


def _field(field: str, before: object, after: object) -> str:
    """'fee 62.00 to 64.00', 'in use off'; what is long says only that it changed."""
    words = field.removesuffix("_cents").removesuffix("_min").removesuffix("_id").replace("_", " ")
    words = {"active": "in use"}.get(words, words)
    one, other = _value(field, before), _value(field, after)
    if not one or not other or len(one) + len(other) > 60:
        return f"{words} changed"
    return f"{words} {one} to {other}"


def _value(field: str, value: object) -> str:
    if isinstance(value, bool) or field in {"active", "dental", "warns"}:
        return "on" if value else "off"
    if isinstance(value, int) and field.endswith("_cents"):
        return money_words(value)
    if isinstance(value, int) and field.endswith("_min"):
        return clock_words(value)
    return str(value) if isinstance(value, (int, str)) and not field.endswith("_id") else ""
