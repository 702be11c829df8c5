"""What the clinic writes about by itself: its rules, its words, and whom each was told."""

from __future__ import annotations

from sqlalchemy import Column, Index, Integer, String, Table, Text, UniqueConstraint

from zax.store.columns import (
    flag_column,
    id_column,
    metadata,
    moment,
    number_column,
    ref,
    text_column,
    version_column,
)

# Leads as zax.core.notices.lead keeps them; `again` is empty for no second try. Type and site 0 mean all.
notice_rule = Table(
    "notice_rule",
    metadata,
    id_column(),
    text_column("event", 16),
    text_column("channel", 6),
    Column("type_id", Integer, nullable=False, server_default="0"),
    Column("site_id", Integer, nullable=False, server_default="0"),
    flag_column("runs"),
    text_column("lead", 40),
    text_column("again", 40),
    moment("since_at"),
    version_column(),
    UniqueConstraint(
        "event", "channel", "type_id", "site_id", name="uq_notice_rule_event_channel_type_id_site_id"
    ),
)
# Every version of the words, the newest counts; one that is `shipped` went back to the original.
notice_words = Table(
    "notice_words",
    metadata,
    id_column(),
    text_column("event", 16),
    text_column("channel", 6),
    text_column("language", 2),
    text_column("variant", 8),
    Column("type_id", Integer, nullable=False, server_default="0"),
    text_column("subject", 200),
    Column("body", Text, nullable=False, server_default=""),
    flag_column("shipped"),
    moment("at"),
    ref("by_id", "user", nullable=True),
    Index("ix_notice_words_event", "event"),
)
# Whom a rule has told, or why it told nobody: each subject (a visit, a recall ...) once a try. `mark` tells
# one occasion of it from the next, such as the visit's time; `about` is
# the time of the visit that they were told.
notice_told = Table(
    "notice_told",
    metadata,
    id_column(),
    text_column("event", 16),
    text_column("channel", 6),
    number_column("try_no"),
    Column("subject_id", Integer, nullable=False),
    Column("mark", String(30), nullable=False),
    ref("patient_id", "patient"),
    ref("message_id", "message", nullable=True),
    text_column("about", 30),
    text_column("why_not", 60),
    moment("at"),
    UniqueConstraint(
        "event",
        "channel",
        "subject_id",
        "try_no",
        "mark",
        name="uq_notice_told_event_channel_subject_id_try_no_mark",
    ),
    Index("ix_notice_told_message_id", "message_id"),
    Index("ix_notice_told_patient_id", "patient_id"),
)
# Addresses under which a calendar program reads a provider's or a patient's visits; one of the two is set.
calendar_feed = Table(
    "calendar_feed",
    metadata,
    id_column(),
    Column("secret", String(43), nullable=False, unique=True),
    ref("provider_id", "provider", nullable=True),
    ref("patient_id", "patient", nullable=True),
    flag_column("names"),
    moment("made_at"),
    ref("made_by", "user", nullable=True),
    moment("read_at", nullable=True),
    moment("ended_at", nullable=True),
    Index("ix_calendar_feed_patient_id", "patient_id"),
)
