"""A mail that somebody writes back: which of our mails it answers, and what it says without what it quotes.

An answer names ours by its Message-ID (RFC 5322, In-Reply-To and References). What a machine writes by itself
(RFC 3834) answers nothing.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from email import message_from_bytes, policy
from email.message import EmailMessage
from email.utils import parseaddr
from html import unescape

LONGEST = 1_000
_IDS = re.compile(r"<([^<>\s@]{1,120})@([^<>\s]{1,200})>")
_QUOTED = re.compile(
    r"^\s*(?:>|-{2,}\s*(?:original|mensaje)|_{5,}|(?:on|el)\b.{0,200}(?:wrote|escribi[oó])\s*:?\s*$)", re.I
)
_HIDDEN = re.compile(r"<(style|script|head|blockquote)\b.*?(?:</\1\s*>|\Z)|<!--.*?(?:-->|\Z)", re.I | re.S)
_BREAK = re.compile(r"<(?:br|/?p|/?div|/?tr|/?li)\b[^<>]*>", re.I)
_TAG = re.compile(r"<[^<>]*>")
_AUTOMATIC = frozenset({"bulk", "list", "junk", "auto_reply"})


@dataclass(frozen=True, slots=True, kw_only=True)
class MailAnswer:
    """`mail_id` is its own Message-ID, `answers` the keys of ours that it names, the last first; `sender` the
    address it came from. `leave_me`: it asks for no more mail.
    """

    mail_id: str
    answers: tuple[str, ...]
    sender: str
    subject: str
    words: str
    leave_me: bool


def is_report(head: bytes) -> bool:
    """Whether a mail server sent it (RFC 3464), by its head."""
    return b"multipart/report" in head.lower()


def answer_in(raw: bytes, domain: str) -> MailAnswer | None:
    """From a whole mail, or its head alone; `domain` is that of our Message-IDs. None for what isn't to
    us.
    """
    mail = message_from_bytes(raw, policy=policy.default)
    assert isinstance(mail, EmailMessage)
    if mail.get_content_type() == "multipart/report" or _is_automatic(mail):
        return None
    subject = _field(mail, "Subject")
    named = _IDS.findall(f"{_field(mail, 'References')} {_field(mail, 'In-Reply-To')}")
    answers = tuple(dict.fromkeys(key for key, where in reversed(named) if where.lower() == domain.lower()))
    leave_me = subject.strip().lower() in {"unsubscribe", "baja"}
    sender = parseaddr(_field(mail, "From"))[1].lower()
    mail_id = _field(mail, "Message-ID").strip().strip("<>")
    if not (answers or leave_me) or not sender or not mail_id:
        return None
    return MailAnswer(
        mail_id=mail_id[:200],
        answers=answers,
        sender=sender[:120],
        subject=" ".join(subject.split())[:200],
        words=_unquoted(_text(mail))[:LONGEST],
        leave_me=leave_me,
    )


def _field(mail: EmailMessage, name: str) -> str:
    """One header; a broken one is as if it weren't there."""
    try:
        return str(mail.get(name, ""))
    except (ValueError, IndexError, AttributeError, TypeError):
        return ""


def _is_automatic(mail: EmailMessage) -> bool:
    said = _field(mail, "Auto-Submitted").strip().lower()
    return said not in {"", "no"} or _field(mail, "Precedence").strip().lower() in _AUTOMATIC


def _text(mail: EmailMessage) -> str:
    body = mail.get_body(("plain", "html"))
    if body is None:
        return ""
    payload = body.get_payload(decode=True)
    raw = payload if isinstance(payload, bytes) else b""
    text = raw.decode("utf-8", "replace")
    charset = body.get_content_charset()
    if charset:
        try:
            text = raw.decode(charset, "replace")
        except LookupError:
            text = raw.decode("utf-8", "replace")
    return _plain(text) if body.get_content_type() == "text/html" else text


def _plain(page: str) -> str:
    """The text of a page, without what a reader doesn't see and without what it quotes."""
    return unescape(_TAG.sub("", _BREAK.sub("\n", _HIDDEN.sub("", page))))


def _unquoted(text: str) -> str:
    """What was written above the quoted mail and the signature."""
    kept: list[str] = []
    for line in text.replace("\r\n", "\n").split("\n"):
        if _QUOTED.match(line) or line.rstrip() == "--":
            break
        kept.append(" ".join(line.split()))
    return "\n".join(kept).strip().replace("\n\n\n", "\n\n")
