"""The clinic's own rules of what adjustments do."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, select

from zax.core.remits.rules import AdjustmentRule, Does
from zax.store.coverage.tables import payer
from zax.store.remits.tables import adjustment_rule
from zax.store.rows import keep, many

_t = adjustment_rule


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnRule:
    id: int
    group_code: str
    reason: str
    remark: str
    payer_id: int | None
    payer_name: str | None
    modifier: str
    later: bool
    does: str
    asks: bool
    version: int

    @property
    def rule(self) -> AdjustmentRule:
        """As the core works with it."""
        return AdjustmentRule(
            group=self.group_code,
            reason=self.reason,
            does=Does(self.does),
            remark=self.remark,
            payer_id=self.payer_id or 0,
            modifier=self.modifier,
            later=self.later,
            asks=self.asks,
            id=self.id,
        )


def keep_rule(
    connection: Connection, rule_id: int, version: int, rule: AdjustmentRule, at: datetime, by_id: int | None
) -> int:
    """As it is kept now; 0 makes one. Raises NotFound and Stale."""
    values: dict[str, object] = {
        "group_code": rule.group,
        "reason": rule.reason,
        "remark": rule.remark,
        "payer_id": rule.payer_id or None,
        "modifier": rule.modifier,
        "later": rule.later,
        "does": rule.does,
        "asks": rule.asks,
    }
    if not rule_id:
        values |= {"made_at": at, "by_id": by_id}
    return keep(connection, _t, rule_id, version, values, "rule")


def end_rule(connection: Connection, rule_id: int, version: int) -> None:
    """It counts no longer; what ships does. Raises NotFound and Stale."""
    keep(connection, _t, rule_id, version, {"active": False}, "rule")


def own_rules(connection: Connection) -> list[OwnRule]:
    """Those in use, in the order they were made."""
    query = select(_t, payer.c.name.label("payer_name")).join(
        payer, payer.c.id == _t.c.payer_id, isouter=True
    )
    return many(connection, query.where(_t.c.active).order_by(_t.c.id), OwnRule)
