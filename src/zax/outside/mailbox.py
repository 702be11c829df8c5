"""The clinic's own mailbox, by POP3 (RFC 1939): only what is wanted by its head is read, and only what we say
is deleted; everything else stays where it is.
"""

from __future__ import annotations

import poplib
import ssl
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from zax.outside.doors import OutsideTrouble, Received
from zax.outside.trouble import trouble_at

AT_ONCE = 200
SECONDS = 20.0


class PopMailbox:
    """`secret` is the password, or a file that only the clinic can read; `tls` from the first byte
    (POP3S).
    """

    def __init__(self, host: str, port: int, user: str, secret: Path | str, tls: bool = False) -> None:
        self.host, self.port, self.user, self.secret, self.tls = host, port, user, secret, tls

    def received(self, wanted: Callable[[bytes], bool]) -> list[Received]:
        box = self._open()
        try:
            found = []
            for number in self._numbers(box):
                if wanted(b"\r\n".join(box.top(number, 0)[1])):
                    found.append(Received(self._id(box, number), b"\r\n".join(box.retr(number)[1])))
            return found
        except (OSError, poplib.error_proto) as error:
            raise trouble_at("mailbox", error) from error
        finally:
            self._close(box)

    def delete(self, received_id: str) -> None:
        box = self._open()
        try:
            for number in self._numbers(box):
                if self._id(box, number) == received_id:
                    box.dele(number)
        except (OSError, poplib.error_proto) as error:
            raise trouble_at("mailbox", error) from error
        finally:
            self._close(box)

    def _open(self) -> poplib.POP3:
        try:
            box = self._connected()
            box.user(self.user)
            secret = self.secret.read_text() if isinstance(self.secret, Path) else self.secret
            box.pass_(secret.strip())
            return box
        except poplib.error_proto as error:
            raise OutsideTrouble("The mailbox didn’t let us sign in.") from error
        except OSError as error:
            raise trouble_at("mailbox", error) from error

    def _connected(self) -> poplib.POP3:
        if self.tls:
            trusted = ssl.create_default_context()
            return poplib.POP3_SSL(self.host, self.port, timeout=SECONDS, context=trusted)
        return poplib.POP3(self.host, self.port, timeout=SECONDS)

    def _numbers(self, box: poplib.POP3) -> list[int]:
        # The newest: what people write stays, so there may be any number of old ones.
        return [int(line.split()[0]) for line in box.list()[1]][-AT_ONCE:]

    def _id(self, box: poplib.POP3, number: int) -> str:
        found = next(line for line in box.uidl()[1] if line.split()[0] == str(number).encode())
        return str(found.split()[1].decode())

    def _close(self, box: poplib.POP3) -> None:
        # Without QUIT nothing is deleted; then it comes again.
        with suppress(OSError, poplib.error_proto):
            box.quit()
