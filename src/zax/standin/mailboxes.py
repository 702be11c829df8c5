"""The mail server and the mailboxes of patients behind it: keeps each Message-ID once, as receiving systems
do, shows what came, and sends back what can't be delivered as a delivery status notification (RFC 3464) into
the clinic's own mailbox, which the clinic fetches.
"""

from __future__ import annotations

import html
import uuid
from email import message_from_bytes, policy
from email.message import EmailMessage
from email.mime.base import MIMEBase
from email.mime.multipart import MIMEMultipart
from email.mime.text import MIMEText
from typing import Any

from fastapi import FastAPI, HTTPException, Response
from fastapi.responses import HTMLResponse, PlainTextResponse

from zax.standin.keep import Json, Keep

# Whose mail bounces: no such mailbox.
DEAD = "gone."


class Inbox:
    """The mail server."""

    def __init__(self, keep: Keep) -> None:
        self.keep = keep

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:  # noqa: N802 (the library's name)
        mail = message_from_bytes(envelope.content, policy=policy.default)
        assert isinstance(mail, EmailMessage)
        number = str(mail["Message-ID"] or uuid.uuid4())
        if self.keep.get("mail", number) is None:
            self.keep.put("mail", number, _kept(number, mail))
            if str(mail["To"]).startswith(DEAD):
                bounce = bounce_of(number, str(mail["To"]))
                self.keep.put("bounces", number, {"id": uuid.uuid4().hex, "text": bounce})
        return "250 kept"


def _kept(number: str, mail: EmailMessage) -> Json:
    plain, rich = mail.get_body(("plain",)), mail.get_body(("html",))
    return {
        "id": number,
        "to": str(mail["To"]),
        "subject": str(mail["Subject"]),
        "files": [part.get_filename() for part in mail.iter_attachments()],
        "text": plain.get_content() if plain else "",
        "html": rich.get_content() if rich else "",
    }


def bounce_of(number: str, to: str) -> str:
    """A delivery status notification about the mail of this Message-ID."""
    report = MIMEMultipart("report", report_type="delivery-status")
    report["From"], report["To"] = "mailer-daemon@example.org", "desk@example.org"
    report["Subject"] = "Undelivered Mail Returned to Sender"
    report.attach(MIMEText(f"Your mail to {to} couldn't be delivered: no such mailbox.\n"))
    status = MIMEBase("message", "delivery-status")
    status.set_payload(
        f"Reporting-MTA: dns; mail.example.org\n\nFinal-Recipient: rfc822; {to}\nAction: failed\nStatus:"
        f" 5.1.1\n"
        "Diagnostic-Code: smtp; 550 5.1.1 no such mailbox\n"
    )
    report.attach(status)
    original = MIMEBase("text", "rfc822-headers")
    original.set_payload(f"To: {to}\nMessage-ID: {number}\n")
    report.attach(original)
    return report.as_string()


def mailboxes(app: FastAPI, keep: Keep) -> None:
    """What came, for tests and people, and the clinic's own mailbox."""

    @app.get("/mail")
    def mail() -> list[Json]:
        return keep.all("mail")

    @app.get("/mailbox")
    def waiting() -> list[str]:
        return [each["id"] for each in keep.all("bounces")]

    @app.get("/mailbox/{number}")
    def fetch(number: str) -> PlainTextResponse:
        found = next((each for each in keep.all("bounces") if each["id"] == number), None)
        if found is None:
            raise HTTPException(404, "no such mail")
        return PlainTextResponse(found["text"])

    @app.delete("/mailbox/{number}", status_code=204)
    def taken(number: str) -> Response:
        for path in (keep.folder / "bounces").glob("*.json"):
            if number in path.read_text():
                path.unlink(missing_ok=True)
        return Response(status_code=204)

    @app.get("/mailboxes")
    def page() -> HTMLResponse:
        rows = "".join(
            f"<section><h2>{html.escape(each['to'])}: {html.escape(each['subject'])}</h2><pre>"
            f"{html.escape(each.get('text', ''))}</pre><p>"
            f"{html.escape(', '.join(filter(None, each['files'])))}</p>"
            "</section>"
            for each in reversed(keep.all("mail")[-60:])
        )
        return HTMLResponse(
            "<!doctype html><html lang=en><title>Patients’"
            " mail</title><style>body{font:16px sans-serif;max-width:"
            "46rem;margin:1rem auto}pre{white-space:pre-wrap;font:inherit}section{border-top:1px solid #999}"
            f"</style><h1>Patients’ mail, simulated</h1>{rows or '<p>No mail yet.</p>'}</html>"
        )
