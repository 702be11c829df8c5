"""When a patient should come again for what: recalls that repeat, a clinician's returns with all that was
done about them, and each try to reach somebody.
"""

from __future__ import annotations

from sqlalchemy import Column, Computed, Date, Index, SmallInteger, String, Table

from zax.store.columns import (
    flag_column,
    id_column,
    metadata,
    moment,
    number_column,
    ref,
    text_column,
    version_column,
    words_list,
)

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
# The clinic's own list of what a clinician asks somebody back for.
return_reason = Table(
    "return_reason",
    metadata,
    id_column(),
    text_column("words", 80),
    text_column("by_when", 20),
    text_column("for_whom", 10),
    flag_column("urgent"),
    ref("type_id", "visit_type", nullable=True),
    Column("position", SmallInteger, nullable=False),
    flag_column("active"),
    version_column(),
)
# A clinician's one-off "come back for this by then". Where it stands is worked out (`core.followup.due`) from
# its days and the visit it hangs on; only its end is written down. `risen` is how many steps of the clinic's
# rule it has gone up, `holder_id` who has it now.
patient_return = Table(
    "patient_return",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    ref("reason_id", "return_reason", nullable=True),
    text_column("words", 80),
    text_column("note", 300),
    Column("due_day", Date, nullable=False),
    text_column("for_whom", 10),
    flag_column("urgent"),
    ref("type_id", "visit_type", nullable=True),
    ref("provider_id", "provider", nullable=True),
    ref("visit_id", "visit", nullable=True),
    ref("booked_visit_id", "visit", nullable=True),
    Column("paused_until", Date),
    moment("made_at"),
    ref("made_by", "user"),
    number_column("risen"),
    ref("holder_id", "user", nullable=True),
    moment("ended_at", nullable=True),
    ref("ended_by", "user", nullable=True),
    text_column("ended_how", 200),
    version_column(),
    Index("ix_patient_return_ended_at_due_day", "ended_at", "due_day"),
)
# All that was done about a return, as evidence; only grows. `kind`: asked, changed, booked, freed, paused,
# rose, ended, opened.
return_event = Table(
    "return_event",
    metadata,
    id_column(),
    ref("return_id", "patient_return"),
    text_column("kind", 10),
    text_column("words", 300),
    moment("at"),
    ref("by_id", "user", nullable=True),
)
# A try to reach a patient, with all it was about ("return-12", "recall-7"). A mistaken one is undone, not
# deleted.
contact_try = Table(
    "contact_try",
    metadata,
    id_column(),
    ref("patient_id", "patient"),
    text_column("how", 10),
    text_column("outcome", 10),
    text_column("note", 300),
    words_list("about"),
    moment("at"),
    ref("by_id", "user"),
    moment("undone_at", nullable=True),
    ref("undone_by", "user", nullable=True),
)
