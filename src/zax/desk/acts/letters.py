"""A letter by email to a patient, from the clinic. Its `message_id` stays the same when it is sent again."""

from __future__ import annotations

from collections.abc import Mapping
from email.message import EmailMessage

from zax.desk.acts.transaction import Desk


def letter(desk: Desk, payload: Mapping[str, str], subject: str, text: str) -> EmailMessage:
    """`payload` has `to` and `message_id`."""
    message = EmailMessage()
    message["From"] = desk.clinic.about["email"]
    message["To"] = payload["to"]
    message["Subject"] = subject
    message["Message-ID"] = payload["message_id"]
    message.set_content(text)
    return message
