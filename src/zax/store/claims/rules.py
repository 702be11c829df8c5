"""Payers' own rules as they are kept."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, or_, select

from zax.store.claims.tables import payer_rule
from zax.store.rows import add, change, many, one

_r = payer_rule


@dataclass(frozen=True, slots=True, kw_only=True)
class RuleRow:
    """`payer_id` None: of every payer."""

    id: int
    payer_id: int | None
    field: str
    condition: str
    strength: str
    sentence: str
    value: str
    codes: Sequence[str]
    active: bool


def rules(connection: Connection) -> list[RuleRow]:
    """All of them, by payer, in the order they were made."""
    return many(connection, select(_r).order_by(_r.c.payer_id, _r.c.id), RuleRow)


def rules_of(connection: Connection, payer_id: int) -> list[RuleRow]:
    """Those in force for a payer, with those of every payer."""
    query = select(_r).where(_r.c.active, or_(_r.c.payer_id == payer_id, _r.c.payer_id.is_(None)))
    return many(connection, query.order_by(_r.c.id), RuleRow)


def rule(connection: Connection, rule_id: int) -> RuleRow | None:
    return one(connection, select(_r).where(_r.c.id == rule_id), RuleRow)


def save_rule(connection: Connection, rule_id: int, values: Mapping[str, Any]) -> int:
    """A rule changed, or a new one for 0; its id."""
    if rule_id:
        change(connection, _r, rule_id, **values)
        return rule_id
    return add(connection, _r, **values)
