"""The last sign of life of each process and duty, and what went wrong with it since."""

from __future__ import annotations

from sqlalchemy import Column, SmallInteger, String, Table

from zax.store.columns import metadata, moment, text_column

beat = Table(
    "beat",
    metadata,
    Column("name", String(40), primary_key=True),
    moment("at"),
    moment("clock_at"),
    Column("failures", SmallInteger, nullable=False, server_default="0"),
    moment("failed_at", nullable=True),
    text_column("why", 200),
)
