"""The rules of what adjustments do, as they hold now: those that ship, and the clinic's own before them. A
changed rule can be tried on the answers of the past before it is kept.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from zax.core.errors import ProblemCollector, Refused
from zax.core.remits.kept import answer_of, lines_of
from zax.core.remits.line import Reading
from zax.core.remits.placing import Placed, place
from zax.core.remits.rules import GROUPS, SHIPPED_RULES, AdjustmentRule, Does, Rulebook, rulebook
from zax.core.wording import dollars
from zax.desk.acts.act import act
from zax.desk.acts.transaction import Transaction
from zax.store.engine import Connection
from zax.store.remits import rules as stored
from zax.store.remits.remits import AnswerRow, last_answers, reading_facts

TRIED = 100


def rules_now(connection: Connection) -> Rulebook:
    return rulebook([*SHIPPED_RULES, *(each.rule for each in stored.own_rules(connection))])


@dataclass(frozen=True, slots=True)
class Differs:
    """An answer of the past that a changed rule would have placed otherwise; both ends in words."""

    row: AnswerRow
    before: str
    after: str


@dataclass(frozen=True, slots=True)
class Trial:
    """`tried` answers were placed again, with the rule and without."""

    tried: int
    differs: Sequence[Differs]


def try_rule(connection: Connection, rule: AdjustmentRule) -> Trial:
    """What the rule would have changed of the last answers. Nothing is written."""
    now = rules_now(connection)
    own = [each.rule for each in stored.own_rules(connection) if each.id != rule.id]
    then = rulebook([*SHIPPED_RULES, *own, replace(rule, id=rule.id or 1)])
    rows = last_answers(connection, TRIED)
    facts = reading_facts(connection, [each.claim_id for each in rows if each.claim_id])
    found = []
    for row in rows:
        if row.answer is None or row.expected is None or row.claim_id not in facts:
            continue
        later, stay, payer_id = facts[row.claim_id]
        answer, lines = answer_of(row.answer), lines_of(row.expected)
        before = place(answer, lines, Reading(later, stay, payer_id, now))
        after = place(answer, lines, Reading(later, stay, payer_id, then))
        if (before.postings, before.shortfalls) != (after.postings, after.shortfalls):
            found.append(Differs(row, _came_to(before), _came_to(after)))
    return Trial(len(rows), found)


def _came_to(placed: Placed) -> str:
    """'$80.00 written off, $20.00 to the patient, $45.00 waits'."""
    off = -sum(each.insurer_cents for each in placed.postings if each.kind == "writeoff")
    moved = sum(each.patient_cents for each in placed.postings)
    held = sum(each.cents for each in placed.shortfalls)
    parts = [f"{dollars(off)} written off"] if off else []
    if moved:
        parts.append(f"{dollars(abs(moved))} {'to the patient' if moved > 0 else 'back to insurance'}")
    parts += [f"{dollars(held)} waits"] if held else []
    return ", ".join(parts) or "only what was paid"


def rule_typed(
    rule_id: int,
    *,
    group: str,
    reason: str,
    remark: str,
    payer_id: int,
    modifier: str,
    later: bool,
    does: str,
    asks: bool,
) -> AdjustmentRule:
    """Raises Problems beside the boxes."""
    wrong = ProblemCollector()
    if group not in GROUPS:
        wrong.add("group", "Choose the group.")
    if not (1 <= len(reason) <= 5 and reason.isalnum()):
        wrong.add("reason", "The payer’s reason number, such as 45.")
    if len(remark) > 6 or not (remark == "" or remark.isalnum()):
        wrong.add("remark", "A remark is like N20 or MA130.")
    if modifier and not (len(modifier) == 2 and modifier.isalnum()):
        wrong.add("modifier", "A modifier has two characters.")
    if does not in set(Does):
        wrong.add("does", "Choose what happens to the amount.")
    wrong.raise_if_any()
    return AdjustmentRule(
        group=group,
        reason=reason.upper(),
        does=Does(does),
        remark=remark.upper(),
        payer_id=payer_id,
        modifier=modifier.upper(),
        later=later,
        asks=asks,
        id=rule_id,
    )


@act("setup")
def keep_rule(tx: Transaction, rule_id: int, version: int, rule: AdjustmentRule) -> int:
    """A rule of the clinic's own; `rule_id` 0 makes one."""
    if rule.payer_id and rule.payer_id not in tx.clinic.payers:
        raise Refused("Choose a payer from the list.", "payer_id")
    kept = stored.keep_rule(tx.connection, rule_id, version, rule, tx.now, tx.actor.id)
    tx.audit("rule.kept", rule_id=kept, words=f"{rule.words}: {rule.does}")
    return kept


@act("setup")
def end_rule(tx: Transaction, rule_id: int, version: int) -> None:
    """Back to what ships for it."""
    stored.end_rule(tx.connection, rule_id, version)
    tx.audit("rule.ended", rule_id=rule_id)
