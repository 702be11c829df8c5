"""A message by mail: plain text always, with an HTML part in the clinic's look, the visit as a calendar file,
and the headers by which a reader can be left alone (RFC 2369, RFC 8058).

The library refuses a line break in a header, and values never hold one (zax.core.notices.words), so nobody's
name can add a header of its own.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from email.message import EmailMessage
from email.utils import formataddr

from zax.core.messages.message import Sort
from zax.desk.clinic.clinic import Clinic
from zax.store.book.records import Visit
from zax.store.messages.messages import Message

# Clinic, message and its visits -> the HTML part.
MailHtml = Callable[[Clinic, Message, Sequence[Visit]], str]
_NO_LIST = frozenset({Sort.TEST, Sort.ANSWER})


def domain_of(clinic: Clinic) -> str:
    return str(clinic.about["email"]).rpartition("@")[2]


def mail_of(clinic: Clinic, message: Message, visits: Sequence[Visit], html: MailHtml | None) -> EmailMessage:
    mail = EmailMessage()
    mail["From"] = formataddr((str(clinic.about["clinic_name"]), str(clinic.about["email"])))
    mail["To"] = message.address
    mail["Subject"] = message.subject
    mail["Message-ID"] = f"<{message.request_key}@{domain_of(clinic)}>"
    if message.event not in _NO_LIST:
        mail["List-Unsubscribe"] = f"<mailto:{clinic.about['email']}?subject=unsubscribe>"
    mail.set_content(message.words)
    if html is not None:
        mail.add_alternative(html(clinic, message, visits), subtype="html")
    return mail
