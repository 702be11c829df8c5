"""What people write back to the clinic, and who is at which row of the Inbox."""

from __future__ import annotations

from sqlalchemy import Column, Index, Integer, String, Table

from zax.store.columns import id_column, metadata, moment, ref, text_column, words_map

# A patient's text or mail, by its `channel`, taken in once by the number that the gateway or the mailbox has
# of it; `phone` is where it came from, `at` when. `meaning` is how it was
# understood; it is open until a person has seen to it, where none of our rules could. `offer_person_id` is
# the offer it answers, `message_id` our message before it. `did` is what it did by itself
# (zax.desk.inbox.answers), until somebody takes it back.
text_reply = Table(
    "text_reply",
    metadata,
    id_column(),
    text_column("channel", 6, "text"),
    Column("gateway_no", Integer, unique=True),
    Column("mail_id", String(200), unique=True),
    Column("phone", String(120), nullable=False),
    text_column("words", 1000),
    moment("at"),
    text_column("meaning", 20),
    ref("patient_id", "patient", nullable=True),
    ref("offer_person_id", "offer_person", nullable=True),
    text_column("done_words", 200),
    moment("done_at", nullable=True),
    ref("done_by", "user", nullable=True),
    ref("message_id", "message", nullable=True),
    words_map("did"),
    moment("back_at", nullable=True),
    ref("back_by", "user", nullable=True),
    Index("ix_text_reply_done_at", "done_at"),
    Index("ix_text_reply_phone", "phone"),
)
# Who is at which row of the Inbox, so that two don't answer one.
inbox_lock = Table(
    "inbox_lock",
    metadata,
    Column("row_key", String(24), primary_key=True),
    ref("user_id", "user"),
    moment("at"),
)
