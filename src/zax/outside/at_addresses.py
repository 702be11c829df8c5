"""The doors of a clinic by the addresses it has told us, each made anew when its address changes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from zax.core.setup.doors import Address
from zax.outside.adapters import HttpClearinghouse, HttpPayPage, HttpTerminal
from zax.outside.doors import Clearinghouse, NoMailbox, NoPayPage, Outside
from zax.outside.gateways import HttpCalls, HttpTexts
from zax.outside.mailbox import PopMailbox
from zax.outside.not_set_up import NoCalls, NoClearinghouse, NoMail, NoTerminal, NoTexts
from zax.outside.sftp import SftpClearinghouse, SftpPlace
from zax.outside.smtp import SmtpMail

TERMINAL_SECONDS = 60.0


@dataclass(frozen=True, slots=True)
class Place:
    """Where a door is, and what we prove ourselves with: a token, a password, or of SFTP the house's key as
    it stands in a file of known hosts.
    """

    address: Address
    secret: str = ""


def outside_at(places: Mapping[str, Place], own_key: Path) -> Outside:
    """All doors; those without a place say so. `own_key` is our private key for SFTP."""

    def web(name: str) -> tuple[str, str] | None:
        place = places.get(name)
        return (place.address.base, place.secret) if place else None

    terminal, texts, calls, page = web("terminal"), web("texts"), web("calls"), web("pay_page")
    mail, box = places.get("mail"), places.get("mailbox")
    return Outside(
        HttpTerminal(terminal[0], TERMINAL_SECONDS, terminal[1]) if terminal else NoTerminal(),
        _house(web("clearinghouse"), places.get("claim_files"), own_key),
        SmtpMail(mail.address.host, mail.address.port, mail.address, mail.secret) if mail else NoMail(),
        HttpTexts(texts[0], token=texts[1]) if texts else NoTexts(),
        HttpCalls(calls[0], token=calls[1]) if calls else NoCalls(),
        PopMailbox(box.address.host, box.address.port, box.address.user, box.secret, box.address.secure)
        if box
        else NoMailbox(),
        HttpPayPage(page[0], token=page[1]) if page else NoPayPage(),
    )


def _house(online: tuple[str, str] | None, files: Place | None, own_key: Path) -> Clearinghouse:
    house = HttpClearinghouse(online[0], token=online[1]) if online else NoClearinghouse()
    if files is None:
        return house
    at = files.address
    return SftpClearinghouse(SftpPlace(at.user, at.host, at.port, own_key, files.secret.encode()), house)
