"""Who signs in, their sessions and tries, and who looked at which patient."""

from __future__ import annotations

from sqlalchemy import Column, Index, Integer, String, Table

from zax.store.columns import flag_column, id_column, metadata, moment, ref, text_column

user = Table(
    "user",
    metadata,
    id_column(),
    Column("sign_in", String(40), nullable=False, unique=True),
    text_column("name", 80),
    text_column("role", 20),
    text_column("password_hash", 200),
    ref("provider_id", "provider", nullable=True),
    flag_column("active", "1"),
)
# `token_hash` is the hash of what the browser holds, `password_mark` of the password it was opened with.
session = Table(
    "session",
    metadata,
    id_column(),
    ref("user_id", "user"),
    Column("token_hash", String(64), nullable=False, unique=True),
    text_column("password_mark", 16),
    moment("at"),
    moment("until"),
    moment("ended_at", nullable=True),
)
sign_in_try = Table(
    "sign_in_try",
    metadata,
    id_column(),
    text_column("sign_in", 40),
    text_column("address", 45),
    moment("at"),
    Index("ix_sign_in_try_at", "at"),
)
look = Table(
    "look",
    metadata,
    id_column(),
    moment("at"),
    Column("user_id", Integer, nullable=False),
    Column("patient_id", Integer, nullable=False),
    text_column("screen", 20),
    Index("ix_look_patient_id_at", "patient_id", "at"),
    Index("ix_look_user_id_at", "user_id", "at"),
)
