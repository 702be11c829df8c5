"""What the acts themselves keep: the audit of who did what, the feed that wakes open screens, the outbox of
what is to be sent.
"""

from __future__ import annotations

from sqlalchemy import JSON, Column, Date, Index, Integer, SmallInteger, String, Table, Text

from zax.store.columns import id_column, metadata, moment, ref, text_column

outbox = Table(
    "outbox",
    metadata,
    id_column(),
    Column("request_key", String(60), nullable=False, unique=True),
    text_column("kind", 20),
    Column("payload", JSON, nullable=False),
    text_column("state", 10, "waiting"),
    moment("due_at"),
    moment("leased_until", nullable=True),
    Column("attempts", SmallInteger, nullable=False, server_default="0"),
    Column("failures", SmallInteger, nullable=False, server_default="0"),
    Column("last_error", Text),
    moment("made_at"),
    moment("done_at", nullable=True),
    Index("ix_outbox_state_due_at", "state", "due_at"),
)
# Keys of forms that were carried out; a second one with the same key changes nothing.
form_done = Table("form_done", metadata, Column("key", String(44), primary_key=True), moment("at"))
feed = Table(
    "feed",
    metadata,
    id_column(),
    moment("at"),
    Column("site_id", Integer),
    Column("day", Date),
    Column("visit_id", Integer),
    Column("patient_id", Integer),
    text_column("what", 20),
    Index("ix_feed_at", "at"),
)
# What was changed of the setup, row by row, so that it can be told and turned back.
setup_change = Table(
    "setup_change",
    metadata,
    id_column(),
    moment("at"),
    ref("by_id", "user", nullable=True),
    text_column("act", 40),
    text_column("words", 200),
    Column("changes", JSON, nullable=False),
    moment("undone_at", nullable=True),
    ref("undone_by", "user", nullable=True),
    Index("ix_setup_change_act", "act"),
)
audit = Table(
    "audit",
    metadata,
    id_column(),
    moment("at"),
    ref("by_id", "user", nullable=True),
    text_column("act", 40),
    Column("patient_id", Integer),
    Column("visit_id", Integer),
    Column("detail", JSON, nullable=False),
    Index("ix_audit_act_at", "act", "at"),
    Index("ix_audit_visit_id", "visit_id"),
    Index("ix_audit_patient_id", "patient_id"),
    Index("ix_audit_at", "at"),
    Index("ix_audit_by_id_at", "by_id", "at"),
)
# The sum over a stretch of `audit` or `look` up to `last_id`, over the sum before it.
audit_seal = Table(
    "audit_seal",
    metadata,
    id_column(),
    text_column("name", 10),
    Column("last_id", Integer, nullable=False),
    Column("rows", Integer, nullable=False),
    text_column("digest", 64),
    moment("at"),
    Index("ix_audit_seal_name", "name"),
)
