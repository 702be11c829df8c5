"""Claims, what happened to each, and the X12 files that went out and came in."""

from __future__ import annotations

from sqlalchemy import JSON, Column, ForeignKey, Index, Integer, SmallInteger, String, Table
from sqlalchemy.dialects.mysql import MEDIUMTEXT

from zax.store.columns import cents_column, flag_column, id_column, metadata, moment, ref, text_column

claim = Table(
    "claim",
    metadata,
    id_column(),
    Column("number", String(20), nullable=False, unique=True),
    ref("visit_id", "visit"),
    ref("patient_id", "patient"),
    ref("coverage_id", "coverage"),
    flag_column("dental"),
    text_column("state", 10),
    cents_column("cents"),
    cents_column("paid_cents"),
    Column("findings", JSON, nullable=False),
    moment("made_at"),
    moment("sent_at", nullable=True),
    Index("ix_claim_state_made_at", "state", "made_at"),
)
claim_line = Table(
    "claim_line",
    metadata,
    Column("claim_id", Integer, ForeignKey("claim.id"), primary_key=True),
    Column("line_id", Integer, ForeignKey("charge_line.id"), primary_key=True),
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
