"""Patients' own sign-ins: a password if they want one, sessions, whom else somebody may see, and what was
paid online until it is applied.
"""

from __future__ import annotations

from sqlalchemy import Column, Computed, ForeignKey, Index, Integer, String, Table

from zax.store.columns import (
    cents_column,
    id_column,
    metadata,
    moment,
    number_column,
    ref,
    text_column,
    words_list,
)

own_login = Table(
    "own_login",
    metadata,
    id_column(),
    Column("patient_id", Integer, ForeignKey("patient.id"), nullable=False, unique=True),
    text_column("password_hash", 200),
    number_column("wrong_tries"),
    moment("wrong_at", nullable=True),
    moment("made_at"),
)
# `secret` is the hash of what the browser holds; `device` that of the browser's own secret.
own_session = Table(
    "own_session",
    metadata,
    id_column(),
    Column("secret", String(64), nullable=False, unique=True),
    ref("patient_id", "patient"),
    text_column("device", 64),
    moment("made_at"),
    moment("used_at"),
    moment("ended_at", nullable=True),
)
# Who may see and do for whom, with the proof that the desk saw.
own_allowed = Table(
    "own_allowed",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    ref("for_id", "patient"),
    text_column("proof", 200),
    moment("at"),
    ref("by_id", "user"),
    moment("ended_at", nullable=True),
    ref("ended_by", "user", nullable=True),
    Column(
        "open_key",
        String(24),
        Computed("IF(ended_at IS NULL, CONCAT(patient_id, '-', for_id), NULL)", persisted=True),
        unique=True,
    ),
)
# A card payment made on the card door's page. `about` is what it was for: balance, part, copay, installment;
# `lines` the suggested allocation [[line, cents]] until a poster accepts it.
own_payment = Table(
    "own_payment",
    metadata,
    id_column(),
    Column("request_key", String(40), nullable=False, unique=True),
    ref("patient_id", "patient"),
    ref("household_id", "household"),
    ref("receipt_id", "receipt"),
    ref("visit_id", "visit", nullable=True),
    text_column("about", 12),
    cents_column("cents"),
    text_column("state", 10, "begun"),
    words_list("lines"),
    text_column("page", 200),
    moment("made_at"),
    moment("done_at", nullable=True),
    ref("done_by", "user", nullable=True),
    Index("ix_own_payment_state_made_at", "state", "made_at"),
)
