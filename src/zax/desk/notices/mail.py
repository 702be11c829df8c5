"""A message by mail: plain text always, with an HTML part in the clinic's look, the visit as a calendar file,
and the headers by which a reader can be left alone (RFC 2369, RFC 8058).

The library refuses a line break in a header, and values never hold one (zax.core.notices.words), so nobody's
name can add a header of its own.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from email.message import EmailMessage
from email.utils import formataddr

from zax.core.messages.message import Sort
from zax.core.notices.calendar_file import CalendarVisit, calendar_file
from zax.core.notices.events import Event
from zax.desk.clinic.clinic import Clinic
from zax.store.book.records import Visit
from zax.store.messages.messages import Message

# Clinic, message and its visits -> the HTML part.
MailHtml = Callable[[Clinic, Message, Sequence[Visit]], str]
_NO_LIST = frozenset({Sort.TEST, Sort.ANSWER, Sort.DIGEST, Event.RECEIPT, Event.PAPER})
CANCELS = frozenset({Event.CANCELED, Event.CLOSED})
WITH_CALENDAR = CANCELS | {Event.BOOKED, Event.MOVED, Event.REMINDER, Event.UNCONFIRMED}


def domain_of(clinic: Clinic) -> str:
    return str(clinic.about["email"]).rpartition("@")[2]


def mail_of(
    clinic: Clinic, message: Message, visits: Sequence[Visit], html: MailHtml | None, now: datetime
) -> EmailMessage:
    """`now` is UTC."""
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
    if message.event in WITH_CALENDAR:
        for visit in visits:
            _attach(mail, clinic, message, visit, now)
    return mail


def attach_paper(mail: EmailMessage, message: Message, content: bytes) -> None:
    """The paper under its own name."""
    name = "-".join(message.paper_name.lower().split())
    mail.add_attachment(content, maintype="application", subtype="pdf", filename=f"{name}.pdf")


def _attach(mail: EmailMessage, clinic: Clinic, message: Message, visit: Visit, now: datetime) -> None:
    canceled = message.event in CANCELS
    site = clinic.sites[visit.site_id]
    file = calendar_file(
        CalendarVisit(
            visit_id=visit.id,
            sequence=visit.version,
            day=visit.day,
            start=visit.start_min,
            minutes=visit.minutes,
            timezone=site.timezone,
            clinic=str(clinic.about["clinic_name"]),
            provider=clinic.providers[visit.provider_id].name,
            where=f"{site.name}, {', '.join(site.address[:3])}",
            organizer=str(clinic.about["email"]),
            attendee=message.address,
        ),
        canceled=canceled,
        stamp=now,
    )
    mail.add_attachment(file, maintype="text", subtype="calendar", filename=f"visit-{visit.id}.ics")
    mail.get_payload()[-1].set_param("method", "CANCEL" if canceled else "REQUEST")  # type: ignore[index,union-attr]
