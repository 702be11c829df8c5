"""Payments that insurers announced, claim by claim."""

from __future__ import annotations

from sqlalchemy import Column, Date, Index, Table, UniqueConstraint

from zax.store.columns import cents_column, id_column, metadata, ref, text_column

remit = Table(
    "remit",
    metadata,
    id_column(),
    ref("file_id", "x12_file"),
    text_column("trace", 50),
    text_column("payer", 80),
    Column("day", Date),
    cents_column("paid_cents"),
    UniqueConstraint("payer", "trace"),
)
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
    Index("ix_remit_claim_outcome", "outcome"),
)
