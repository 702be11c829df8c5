"""Who signs in, their sessions and tries, and who looked at which patient."""

from __future__ import annotations

from sqlalchemy import BigInteger, Column, Index, Integer, SmallInteger, String, Table, Text

from zax.store.columns import (
    flag_column,
    id_column,
    metadata,
    moment,
    ref,
    text_column,
    version_column,
    words_list,
)

# `key` is how people, limits and hand-overs name it.
role = Table(
    "role",
    metadata,
    id_column(),
    Column("key", String(20), nullable=False, unique=True, server_default=""),
    text_column("words", 30),
    words_list("rights"),
    Column("position", SmallInteger, nullable=False),
    flag_column("active", "1"),
    version_column(),
)
# Whoever was invited and has no password yet has an empty `password_hash`. `second_sealed` is the secret of
# the second factor, sealed by the vault, confirmed at `second_at`; `second_step` the last step of its clock
# that was used. `site_ids` are where they work, none for everywhere. Whoever left is not active.
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
    text_column("email", 120),
    text_column("pin_hash", 200),
    text_column("second_sealed", 300),
    moment("second_at", nullable=True),
    Column("second_step", BigInteger, nullable=False, server_default="0"),
    flag_column("must_second"),
    words_list("site_ids"),
    moment("left_at", nullable=True),
    version_column(),
)
# A link that works once: an invitation, or a new password. `token_hash` is the hash of what it carries.
user_link = Table(
    "user_link",
    metadata,
    id_column(),
    ref("user_id", "user"),
    Column("token_hash", String(64), nullable=False, unique=True, server_default=""),
    text_column("purpose", 8),
    moment("made_at"),
    moment("until"),
    moment("ended_at", nullable=True),
    ref("by_id", "user", nullable=True),
)
# What opens in place of a second factor that is lost; each once.
recovery_code = Table(
    "recovery_code",
    metadata,
    id_column(),
    ref("user_id", "user"),
    text_column("code_hash", 64),
    moment("used_at", nullable=True),
)
# Keys that people sign in with: `public` halves alone.
passkey = Table(
    "passkey",
    metadata,
    id_column(),
    ref("user_id", "user"),
    Column("key_hash", String(64), nullable=False, unique=True),
    Column("public", Text, nullable=False),
    Column("uses", BigInteger, nullable=False, server_default="0"),
    text_column("words", 40),
    moment("made_at"),
    moment("used_at", nullable=True),
)
# `token_hash` is the hash of what the browser holds, `password_mark` of the password it was opened with.
# `device` is the mark of the browser; `by_pin`: it was opened by a PIN at a desk where its person had signed
# in that day. A locked one does nothing until its person is back.
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
    text_column("address", 45),
    text_column("device", 16),
    moment("locked_at", nullable=True),
    flag_column("by_pin"),
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
    Index("ix_look_at", "at"),
)
