"""When a patient should come again for what."""

from __future__ import annotations

from sqlalchemy import Column, Computed, Date, Index, String, Table

from zax.store.columns import id_column, metadata, moment, number_column, ref

# When a patient should come again for what; one open row a patient and type.
recall = Table(
    "recall",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    ref("type_id", "visit_type"),
    number_column("months"),
    Column("due_day", Date, nullable=False),
    moment("made_at"),
    ref("made_by", "user", nullable=True),
    ref("visit_id", "visit", nullable=True),
    moment("ended_at", nullable=True),
    Column(
        "open_key",
        String(24),
        Computed("IF(ended_at IS NULL, CONCAT(patient_id, '-', type_id), NULL)", persisted=True),
        unique=True,
    ),
    Index("ix_recall_ended_at_due_day", "ended_at", "due_day"),
)
