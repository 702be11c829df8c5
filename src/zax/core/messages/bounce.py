"""Mail that came back, as a delivery status notification says it (RFC 3464): which mail, and why. Only a
failure for good counts; what is delayed may still arrive.
"""

from __future__ import annotations

from dataclasses import dataclass
from email import message_from_bytes, policy
from email.message import Message


@dataclass(frozen=True, slots=True)
class Bounce:
    """`message_id` without its brackets, `words` what the other side says."""

    message_id: str
    words: str


def bounce_in(raw: bytes) -> Bounce | None:
    """None for what is no such notification, or doesn't say which mail it is about."""
    mail = message_from_bytes(raw, policy=policy.compat32)
    if mail.get_content_type() != "multipart/report":
        return None
    fields: dict[str, str] = {}
    message_id = ""
    for part in mail.walk():
        kind = part.get_content_type()
        if kind == "message/delivery-status":
            fields |= _status(part)
        elif kind in {"text/rfc822-headers", "message/rfc822"}:
            message_id = _original(part) or message_id
    if fields.get("action", "").lower() != "failed" or not message_id:
        return None
    words = (
        fields.get("diagnostic-code", "").partition(";")[2].strip() or f"status {fields.get('status', '?')}"
    )
    return Bounce(message_id, " ".join(words.split())[:200])


def _status(part: Message) -> dict[str, str]:
    """The fields of the notification; those of the recipient come last and win."""
    blocks = part.get_payload()
    found: dict[str, str] = {}
    for block in blocks if isinstance(blocks, list) else []:
        if isinstance(block, Message):
            found |= {name.lower(): str(value) for name, value in block.items()}
    return found


def _original(part: Message) -> str:
    inner = part.get_payload()
    head = inner[0] if isinstance(inner, list) else None
    if not isinstance(head, Message):
        text = part.get_payload(decode=True)
        head = message_from_bytes(text if isinstance(text, bytes) else b"", policy=policy.compat32)
    return str(head.get("Message-ID", "")).strip().strip("<>")
