"""Payers' own rules, which a biller edits and tries on a claim before saving."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from zax.core.claims.finding import Strength
from zax.core.claims.payer_rules import Condition, PayerRule, checked_rule
from zax.core.errors import NotFound, Refused
from zax.core.reading import reference
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.claims import rules as stored
from zax.store.claims.rules import RuleRow
from zax.store.engine import Connection

LONGEST_SENTENCE, LONGEST_VALUE = 200, 80


def rules_for(connection: Connection, payer_id: int) -> tuple[PayerRule, ...]:
    """The rules in force for a payer's claims."""
    return tuple(rule_of(row) for row in stored.rules_of(connection, payer_id))


def rule_of(row: RuleRow) -> PayerRule:
    return PayerRule(
        field=row.field,
        condition=Condition(row.condition),
        strength=Strength(row.strength),
        sentence=row.sentence,
        value=row.value,
        codes=tuple(row.codes),
    )


def read_rule(typed: Mapping[str, str]) -> PayerRule:
    """A rule as typed. Refused beside its field."""
    if typed.get("condition", "") not in set(Condition):
        raise Refused("Choose what it must be.", "condition")
    if typed.get("strength", "") not in set(Strength):
        raise Refused("Choose whether it stops the claim.", "strength")
    sentence, value = typed.get("sentence", "").strip(), typed.get("value", "").strip()
    if len(sentence) > LONGEST_SENTENCE:
        raise Refused(f"Keep it to {LONGEST_SENTENCE} characters.", "sentence")
    if len(value) > LONGEST_VALUE:
        raise Refused(f"Keep it to {LONGEST_VALUE} characters.", "value")
    codes = tuple(part for part in re.split(r"[\s,;]+", typed.get("codes", "").upper()) if part)
    return checked_rule(
        PayerRule(
            field=typed.get("field", ""),
            condition=Condition(typed["condition"]),
            strength=Strength(typed["strength"]),
            sentence=sentence,
            value=value,
            codes=codes,
        )
    )


@act("claims")
def save_rule(tx: Transaction, rule_id: int, typed: Mapping[str, str]) -> int:
    """Keep a rule; 0 is a new one. Claims are checked by it from now on. Refused beside its field."""
    if rule_id and stored.rule(tx.connection, rule_id) is None:
        raise NotFound("There is no such rule.")
    rule, payer_id = read_rule(typed), reference(typed.get("payer_id", ""))
    if payer_id and payer_id not in tx.clinic.payers:
        raise Refused("Choose a payer from the list.", "payer_id")
    values: dict[str, Any] = {
        "payer_id": payer_id or None,
        "field": rule.field,
        "condition": rule.condition,
        "strength": rule.strength,
        "sentence": rule.sentence,
        "value": rule.value,
        "codes": list(rule.codes),
        "active": typed.get("active") == "yes",
    }
    saved = stored.save_rule(tx.connection, rule_id, values)
    tx.audit("payer.rule", rule_id=saved, **values)
    tx.tell("claim")
    return saved
