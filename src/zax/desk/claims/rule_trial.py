"""Trying a payer's rule on a claim before it is saved."""

from __future__ import annotations

from datetime import date

from zax.core.claims.payer_rules import PayerRule, broken
from zax.core.errors import Refused
from zax.desk.claims.content import made_claim
from zax.desk.clinic.clinic import Clinic
from zax.store.claims import claims as stored
from zax.store.engine import Connection


def try_rule(connection: Connection, clinic: Clinic, rule: PayerRule, number: str, today: date) -> list[str]:
    """The paths on that claim that do not keep the rule. Refused, beside `claim`, for a claim that isn't."""
    row = stored.claim_by_number(connection, number.strip().upper())
    if row is None:
        raise Refused("There is no claim of that number.", "claim")
    return list(broken(rule, made_claim(connection, clinic, row, today).claim))
