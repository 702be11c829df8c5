"""Mail handed to the clinic's mail server (SMTP, RFC 5321). An address that the server knows to be none is
told apart from a server that wants nothing from us: only the first is the address's fault.
"""

from __future__ import annotations

import re
import smtplib
import ssl
from email.message import EmailMessage

from zax.core.setup.doors import Address
from zax.outside.doors import DoorRefused, OutsideTrouble
from zax.outside.trouble import returned_an_error, trouble_at

SECONDS = 20.0
# Enhanced status codes (RFC 3463) of an address that isn't there: mailbox or its domain unknown, malformed,
# moved away, no longer in use; a domain that takes no mail (RFC 7505).
_NO_MAILBOX = re.compile(rb"5\.(1\.(1|2|3|6|10)|2\.1)\b")


class SmtpMail:
    """`at` says how it is reached: `smtps` in TLS from the first byte, `smtp` by STARTTLS (RFC 3207), and in
    clear only on this machine; signed in where the address names somebody.
    """

    def __init__(self, host: str, port: int, at: Address | None = None, secret: str = "") -> None:
        self.host, self.port, self.at, self.secret = host, port, at, secret

    def send(self, message: EmailMessage) -> None:
        try:
            with self._open() as server:
                server.send_message(message)
        except smtplib.SMTPRecipientsRefused as error:
            raise _recipient_refused(error, str(message["To"])) from error
        except OSError as error:
            raise _trouble(error) from error

    def check(self) -> None:
        try:
            with self._open() as server:
                server.noop()
        except OSError as error:
            raise _trouble(error) from error

    def _open(self) -> smtplib.SMTP:
        trusted = ssl.create_default_context()
        if self.at is not None and self.at.scheme == "smtps":
            server: smtplib.SMTP = smtplib.SMTP_SSL(self.host, self.port, timeout=SECONDS, context=trusted)
        else:
            server = smtplib.SMTP(self.host, self.port, timeout=SECONDS)
        try:
            if self.at is not None and self.at.scheme == "smtp" and self.at.secure:
                server.starttls(context=trusted)
            if self.at is not None and self.at.user and self.secret:
                server.login(self.at.user, self.secret)
        except BaseException:
            server.close()
            raise
        return server


def _trouble(error: OSError) -> OutsideTrouble:
    """Of what the library raises: its own errors are OSErrors, too."""
    match error:
        case smtplib.SMTPAuthenticationError():
            return OutsideTrouble("The mail server didn’t accept our name and password.")
        case smtplib.SMTPResponseException():
            return returned_an_error("mail server", error.smtp_code)
        case _:
            return trouble_at("mail server", error)


def _recipient_refused(error: smtplib.SMTPRecipientsRefused, address: str) -> OutsideTrouble:
    """There is no such mailbox; or anything else, for which the address is not to blame: a server that
    doesn't know us refuses every one.
    """
    code, said = next(iter(error.recipients.values()))
    if 500 <= code < 600 and _NO_MAILBOX.match(said):
        return DoorRefused(f"The mail server knows no mailbox {address}.")
    return OutsideTrouble(f"The mail server doesn’t take mail from us right now ({code}).")
