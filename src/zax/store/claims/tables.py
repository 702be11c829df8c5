"""Claims, what happened to each, and the X12 files that went out and came in."""

from __future__ import annotations

from sqlalchemy import JSON, Column, Date, ForeignKey, Index, Integer, SmallInteger, String, Table
from sqlalchemy.dialects.mysql import MEDIUMTEXT

from zax.store.columns import (
    cents_column,
    flag_column,
    id_column,
    metadata,
    moment,
    ref,
    text_column,
    words_list,
    words_map,
)

# What asks an insurer for money, or, without a visit, what it would pay for planned work (`proposal_id`).
claim = Table(
    "claim",
    metadata,
    id_column(),
    Column("number", String(20), nullable=False, unique=True),
    ref("visit_id", "visit", nullable=True),
    ref("proposal_id", "proposal", nullable=True),
    ref("patient_id", "patient"),
    ref("coverage_id", "coverage"),
    text_column("form", 1),
    text_column("rank", 1, "P"),
    text_column("frequency", 1, "1"),
    ref("follows_id", "claim", nullable=True),
    text_column("state", 10),
    cents_column("cents"),
    cents_column("paid_cents"),
    Column("findings", JSON, nullable=False),
    words_map("carried"),
    words_list("kept"),
    text_column("payer_claim", 50),
    text_column("closed_why", 200),
    text_column("status", 200),
    moment("asked_at", nullable=True),
    Column("again_on", Date, nullable=True),
    ref("owner_id", "user", nullable=True),
    moment("made_at"),
    moment("sent_at", nullable=True),
    moment("answered_at", nullable=True),
    Index("ix_claim_state_made_at", "state", "made_at"),
)
# In how many days a payer answers: learned from its answers, and what a biller set instead.
payer_norm = Table(
    "payer_norm",
    metadata,
    Column("payer_id", Integer, ForeignKey("payer.id"), primary_key=True),
    Column("learned_days", SmallInteger, nullable=True),
    Column("own_days", SmallInteger, nullable=True),
)
# What a payer wants of its claims besides the guides (`core.claims.payer_rules`).
payer_rule = Table(
    "payer_rule",
    metadata,
    id_column(),
    ref("payer_id", "payer", nullable=True),
    text_column("field", 40),
    text_column("condition", 10),
    text_column("strength", 4),
    text_column("sentence", 200),
    text_column("value", 80),
    words_list("codes"),
    flag_column("active", "1"),
)
claim_line = Table(
    "claim_line",
    metadata,
    Column("claim_id", Integer, ForeignKey("claim.id"), primary_key=True),
    Column("line_id", Integer, ForeignKey("charge_line.id"), primary_key=True),
    Column("position", SmallInteger, nullable=False),
    cents_column("cents"),
)
claim_planned = Table(
    "claim_planned",
    metadata,
    Column("claim_id", Integer, ForeignKey("claim.id"), primary_key=True),
    Column("planned_id", Integer, ForeignKey("planned_service.id"), primary_key=True),
    Column("position", SmallInteger, nullable=False),
    cents_column("cents"),
)
x12_file = Table(
    "x12_file",
    metadata,
    id_column(),
    text_column("direction", 3),
    text_column("kind", 8),
    text_column("name", 80),
    text_column("control", 20),
    Column("digest", String(64), nullable=False, unique=True),
    Column("text", MEDIUMTEXT, nullable=False),
    moment("at"),
    text_column("outcome", 255),
    Index("ix_x12_file_direction_control", "direction", "control"),
)
claim_event = Table(
    "claim_event",
    metadata,
    id_column(),
    ref("claim_id", "claim"),
    moment("at"),
    text_column("words", 500),
    ref("file_id", "x12_file", nullable=True),
    ref("by_id", "user", nullable=True),
)
