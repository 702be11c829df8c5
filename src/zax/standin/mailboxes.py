"""The mail server and the mailboxes of patients behind it: keeps each Message-ID once, as receiving systems
do, shows what came and lets one answer it, and sends back what can't be delivered as a delivery status
notification (RFC 3464) into the clinic's own mailbox, which the clinic reads (zax.standin.pop).
"""

from __future__ import annotations

import html
import uuid
from email import message_from_bytes, policy
from email.message import EmailMessage
from typing import Any

from fastapi import FastAPI, Form
from fastapi.responses import HTMLResponse, RedirectResponse

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
                self.keep.put("bounces", number, {"id": uuid.uuid4().hex, "name": number, "text": bounce})
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
    return _REPORT.format(number=number, to=to)


def answer_to(mail: Json, words: str) -> str:
    """What a mail program sends when somebody answers: their words above the quoted mail."""
    answer = EmailMessage()
    answer["From"], answer["To"] = str(mail["to"]), "desk@example.org"
    answer["Subject"] = " ".join(f"Re: {mail['subject']}".split())
    answer["Message-ID"] = f"<{uuid.uuid4().hex}@mail.example.org>"
    answer["In-Reply-To"] = answer["References"] = str(mail["id"])
    quoted = "\n".join(f"> {line}" for line in str(mail.get("text", "")).splitlines())
    answer.set_content(f"{words}\n\nOn that day the clinic wrote:\n{quoted}\n")
    return answer.as_string()


_REPORT = """\
From: mailer-daemon@example.org
To: desk@example.org
Subject: Undelivered Mail Returned to Sender
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status; boundary="back"

--back
Content-Type: text/plain; charset=utf-8

Your mail to {to} couldn't be delivered: no such mailbox.

--back
Content-Type: message/delivery-status

Reporting-MTA: dns; mail.example.org

Final-Recipient: rfc822; {to}
Action: failed
Status: 5.1.1
Diagnostic-Code: smtp; 550 5.1.1 no such mailbox

--back
Content-Type: text/rfc822-headers

To: {to}
Message-ID: {number}

--back--
"""


def mailboxes(app: FastAPI, keep: Keep) -> None:
    """What came, for tests and people."""

    @app.get("/mail")
    def mail() -> list[Json]:
        return keep.all("mail")

    @app.post("/mailboxes/answer")
    def answer(number: str = Form(), words: str = Form("")) -> RedirectResponse:
        """Whoever got this mail writes back to the clinic."""
        mail = keep.get("mail", number)
        if mail is not None:
            name = uuid.uuid4().hex
            keep.put("bounces", name, {"id": name, "name": name, "text": answer_to(mail, words)})
        return RedirectResponse("/mailboxes", 303)

    @app.get("/mailboxes")
    def page() -> HTMLResponse:
        rows = "".join(
            f"<section><h2>{html.escape(each['to'])}: {html.escape(each['subject'])}</h2><pre>"
            f"{html.escape(each.get('text', ''))}</pre><p>"
            f"{html.escape(', '.join(filter(None, each['files'])))}</p>"
            f"<form method=post action='/mailboxes/answer'><input type=hidden name=number"
            f" value='{html.escape(each['id'], quote=True)}'><input name=words aria-label=Answer>"
            "<button>Answer</button></form></section>"
            for each in reversed(keep.all("mail")[-60:])
        )
        return HTMLResponse(
            "<!doctype html><html lang=en><title>Patients’"
            " mail</title><style>body{font:16px sans-serif;max-width:"
            "46rem;margin:1rem auto}pre{white-space:pre-wrap;font:inherit}section{border-top:1px solid #999}"
            f"</style><h1>Patients’ mail, simulated</h1>{rows or '<p>No mail yet.</p>'}</html>"
        )
