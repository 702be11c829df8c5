"""What the clinic writes to patients, one row a message, and what is known of the addresses it goes to."""

from __future__ import annotations

from sqlalchemy import Column, Index, String, Table, Text

from zax.store.columns import flag_column, id_column, metadata, moment, number_column, ref, text_column

# `words` are empty until it is made ready to go, where they are filled at that moment; `address` likewise.
# `why` says what made it go; `parts` is how many texts it took. `pressed` is the key pressed in a call;
# `asks` what a person has to see to (zax.core.messages.message.Asks), until `seen_at`. `link` is the secret
# of its page, where its visits can be confirmed without signing in. `paper` is the file store's digest of a
# paper that goes with it, `attached` or behind the link; `wrong_tries` counts birth dates that weren't
# theirs.
message = Table(
    "message",
    metadata,
    id_column(),
    Column("request_key", String(60), nullable=False, unique=True),
    ref("patient_id", "patient", nullable=True),
    ref("visit_id", "visit", nullable=True),
    text_column("event", 16),
    text_column("channel", 6),
    text_column("language", 2, "en"),
    text_column("address", 120),
    text_column("subject", 200),
    Column("words", Text, nullable=False, server_default=""),
    text_column("why", 200),
    text_column("state", 10, "waiting"),
    text_column("state_words", 200),
    number_column("try_no"),
    number_column("parts"),
    text_column("pressed", 1),
    ref("by_id", "user", nullable=True),
    moment("made_at"),
    moment("due_at"),
    moment("sent_at", nullable=True),
    moment("state_at", nullable=True),
    moment("opened_at", nullable=True),
    text_column("asks", 10),
    moment("seen_at", nullable=True),
    ref("seen_by", "user", nullable=True),
    Column("link", String(24), unique=True),
    text_column("paper", 64),
    text_column("paper_name", 80),
    flag_column("attached"),
    number_column("wrong_tries"),
    Index("ix_message_patient_id_made_at", "patient_id", "made_at"),
    Index("ix_message_address_made_at", "address", "made_at"),
    Index("ix_message_event_due_at", "event", "due_at"),
    Index("ix_message_state_channel", "state", "channel"),
    Index("ix_message_asks_seen_at", "asks", "seen_at"),
    Index("ix_message_channel_sent_at", "channel", "sent_at"),
)
# What came back about an address: `kind` of a phone (mobile, landline), `trouble` why nothing more goes
# there.
address = Table(
    "address",
    metadata,
    Column("address", String(120), primary_key=True),
    text_column("kind", 10),
    text_column("trouble", 120),
    moment("at"),
)
