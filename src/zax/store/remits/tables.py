"""What insurers paid, electronically or by paper, claim by claim; what stays short; and each payer's own
account.
"""

from __future__ import annotations

from sqlalchemy import JSON, Column, Date, Index, Integer, String, Table, UniqueConstraint

from zax.store.columns import (
    cents_column,
    flag_column,
    id_column,
    metadata,
    moment,
    ref,
    text_column,
    version_column,
    words_list,
)

# One check or transfer of an insurer: from a file, or entered by hand (`kind` is 835, or how it came). It is
# open until all of it is placed; `why` is a manager's reason where it was finished with a difference.
# `worked_by_id` is who is on it. `scan` is the picture of its paper, in the file store by its SHA-256.
remit = Table(
    "remit",
    metadata,
    id_column(),
    ref("file_id", "x12_file", nullable=True),
    text_column("kind", 10, "835"),
    text_column("trace", 50),
    text_column("payer", 80),
    ref("payer_id", "payer", nullable=True),
    ref("provider_id", "provider", nullable=True),
    ref("site_id", "site", nullable=True),
    Column("day", Date),
    cents_column("paid_cents"),
    text_column("state", 10, "finished"),
    text_column("why", 200),
    text_column("scan", 64),
    text_column("scan_type", 40),
    Column("request_key", String(40), nullable=True, unique=True),
    moment("made_at", nullable=True),
    ref("by_id", "user", nullable=True),
    ref("worked_by_id", "user", nullable=True),
    moment("worked_at", nullable=True),
    moment("finished_at", nullable=True),
    ref("finished_by_id", "user", nullable=True),
    Column("books_day", Date, nullable=True),
    version_column(),
    UniqueConstraint("payer", "trace"),
    Index("ix_remit_state", "state"),
    Index("ix_remit_site_id_books_day", "site_id", "books_day"),
)
# What a payment says of one claim. `answer` is what was said (`core.x12.remittance.RemitClaim`), `expected`
# the lines as they stood when it was placed: so a rule can be tried on answers of the past.
remit_claim = Table(
    "remit_claim",
    metadata,
    id_column(),
    ref("remit_id", "remit"),
    ref("claim_id", "claim", nullable=True),
    text_column("number", 40),
    cents_column("paid_cents"),
    text_column("outcome", 10),
    text_column("why", 500),
    Column("answer", JSON, nullable=True),
    Column("expected", JSON, nullable=True),
    moment("at", nullable=True),
    ref("by_id", "user", nullable=True),
    Index("ix_remit_claim_outcome", "outcome"),
)
# What of a line was not paid and waits for a decision (`core.remits.shortfalls`). An appealed one has its
# letter in the file store and a day by which the payer should have answered.
shortfall = Table(
    "shortfall",
    metadata,
    id_column(),
    ref("answer_id", "remit_claim"),
    ref("claim_id", "claim"),
    ref("line_id", "charge_line"),
    cents_column("cents"),
    text_column("work", 10),
    words_list("reasons"),
    words_list("remarks"),
    text_column("words", 500),
    text_column("state", 10, "open"),
    Column("act_by", Date, nullable=True),
    Column("answer_by", Date, nullable=True),
    text_column("letter", 64),
    text_column("ended_how", 200),
    moment("made_at"),
    moment("appealed_at", nullable=True),
    moment("ended_at", nullable=True),
    ref("by_id", "user", nullable=True),
    Index("ix_shortfall_state", "state"),
)
# What a payer took from or added to a payment beside its claims, and refunds sent to it: `cents` above zero
# went to the payer. Only grows; a mistake is reversed.
payer_entry = Table(
    "payer_entry",
    metadata,
    id_column(),
    ref("remit_id", "remit", nullable=True),
    text_column("payer", 80),
    ref("payer_id", "payer", nullable=True),
    ref("claim_id", "claim", nullable=True),
    ref("site_id", "site"),
    Column("day", Date, nullable=False),
    text_column("reason", 8),
    text_column("reference", 50),
    cents_column("cents"),
    text_column("words", 200),
    moment("at"),
    ref("by_id", "user", nullable=True),
    Column("reverses_id", Integer, nullable=True, unique=True),
    Index("ix_payer_entry_payer", "payer"),
)
# What a clinic wants done with an adjustment otherwise than the rules that ship (`core.remits.rules`).
adjustment_rule = Table(
    "adjustment_rule",
    metadata,
    id_column(),
    text_column("group_code", 2),
    text_column("reason", 5),
    text_column("remark", 6),
    ref("payer_id", "payer", nullable=True),
    text_column("modifier", 2),
    flag_column("later"),
    text_column("does", 10),
    flag_column("asks"),
    flag_column("active", "1"),
    moment("made_at"),
    ref("by_id", "user", nullable=True),
    version_column(),
)
