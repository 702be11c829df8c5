"""Patients, their households, flags, notes and files. A merged record leaves its number as an alias."""

from __future__ import annotations

from sqlalchemy import Column, Computed, Date, ForeignKey, Index, Integer, SmallInteger, String, Table

from zax.store.columns import (
    flag_column,
    id_column,
    metadata,
    moment,
    number_column,
    ref,
    text_column,
    version_column,
    words_map,
)

# The last word of a name of several, so that 'cruz' finds 'de la Cruz'; empty for most people.
_TAIL = "IF({0} REGEXP '[ -]', SUBSTRING_INDEX(REPLACE({0}, '-', ' '), ' ', -1), NULL)"
household = Table("household", metadata, id_column(), text_column("name", 80))
patient = Table(
    "patient",
    metadata,
    id_column(),
    ref("household_id", "household"),
    flag_column("guarantor"),
    text_column("first", 60),
    text_column("last", 60),
    text_column("first_key", 60),
    text_column("last_key", 60),
    Column("birth", Date),
    text_column("sex", 1),
    text_column("phone", 10),
    Column("phone_end", String(7), Computed("RIGHT(phone, 7)", persisted=True)),
    Column("phone_tail", String(4), Computed("RIGHT(phone, 4)", persisted=True)),
    text_column("email", 120),
    text_column("street", 80),
    text_column("city", 60),
    text_column("state", 2),
    text_column("zip", 10),
    text_column("alert", 80),
    text_column("status", 10, "active"),
    number_column("likes"),
    number_column("never"),
    moment("made_at"),
    version_column(),
    Column("chart", String(12), unique=True),
    text_column("used_name", 60),
    text_column("pronouns", 20),
    text_column("home_phone", 10),
    text_column("work_phone", 10),
    text_column("texts_to", 5, "phone"),
    text_column("language", 30),
    text_column("employer", 80),
    text_column("emergency_name", 80),
    text_column("emergency_phone", 10),
    text_column("emergency_relation", 30),
    text_column("mail_street", 80),
    text_column("mail_city", 60),
    text_column("mail_state", 2),
    text_column("mail_zip", 10),
    text_column("ssn_cipher", 200),
    words_map("reach"),
    text_column("photo", 64),
    Column("died_on", Date),
    Column("merged_into_id", Integer, ForeignKey("patient.id")),
    text_column("first_sound", 12),
    text_column("last_sound", 12),
    Column("last_tail", String(60), Computed(_TAIL.format("last_key"), persisted=True)),
    Column("first_tail", String(60), Computed(_TAIL.format("first_key"), persisted=True)),
    Column("home_end", String(7), Computed("RIGHT(home_phone, 7)", persisted=True)),
    Column("work_end", String(7), Computed("RIGHT(work_phone, 7)", persisted=True)),
    Index("ix_patient_last_key_first_key", "last_key", "first_key"),
    Index("ix_patient_first_key_last_sound", "first_key", "last_sound"),
    Index("ix_patient_phone", "phone"),
    Index("ix_patient_phone_end", "phone_end"),
    Index("ix_patient_phone_tail", "phone_tail"),
    Index("ix_patient_birth_last_sound", "birth", "last_sound"),
    Index("ix_patient_last_sound_first_sound", "last_sound", "first_sound"),
    Index("ix_patient_home_phone", "home_phone"),
    Index("ix_patient_work_phone", "work_phone"),
    Index("ix_patient_home_end", "home_end"),
    Index("ix_patient_work_end", "work_end"),
    Index("ix_patient_used_name", "used_name"),
    Index("ix_patient_last_tail_first_key", "last_tail", "first_key"),
    Index("ix_patient_first_tail_last_key", "first_tail", "last_key"),
)
# Numbers that a merge left behind; they still find the person.
patient_alias = Table(
    "patient_alias", metadata, Column("number", String(12), primary_key=True), ref("patient_id", "patient")
)
flag = Table(
    "flag",
    metadata,
    id_column(),
    text_column("words", 40),
    flag_column("warns"),
    flag_column("active", "1"),
    Column("position", SmallInteger, nullable=False),
)
patient_flag = Table(
    "patient_flag",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    ref("flag_id", "flag"),
    moment("at"),
    ref("by_id", "user", nullable=True),
    moment("ended_at", nullable=True),
    Column(
        "open_key",
        String(24),
        Computed("IF(ended_at IS NULL, CONCAT(patient_id, '-', flag_id), NULL)", persisted=True),
        unique=True,
    ),
)
patient_note = Table(
    "patient_note",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    text_column("words", 500),
    flag_column("pinned"),
    Column("until_day", Date),
    moment("at"),
    ref("by_id", "user", nullable=True),
    moment("ended_at", nullable=True),
    ref("ended_by", "user", nullable=True),
)
# What is kept of a patient on paper; `digest` names the content in the file store (SHA-256).
patient_file = Table(
    "patient_file",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    ref("coverage_id", "coverage", nullable=True),
    text_column("kind", 12),
    text_column("name", 120),
    text_column("digest", 64),
    text_column("media", 20),
    Column("bytes", Integer, nullable=False),
    moment("at"),
    ref("by_id", "user", nullable=True),
    moment("ended_at", nullable=True),
    ref("ended_by", "user", nullable=True),
)
# Two people somebody looked at and found to be two: lower id first.
not_same = Table(
    "not_same",
    metadata,
    Column("low_id", Integer, ForeignKey("patient.id"), primary_key=True, autoincrement=False),
    Column("high_id", Integer, ForeignKey("patient.id"), primary_key=True, autoincrement=False),
    moment("at"),
    ref("by_id", "user"),
)
