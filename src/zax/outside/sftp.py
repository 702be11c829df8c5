"""The clearinghouse by folders over SFTP: claim files are put into its folder *in*, and what it has for us is
taken out of *out*. Questions to payers and their list still go over HTTP: no folder answers while one waits.

A file is put there under a name that begins with a dot and is renamed only once it is whole, so that nobody
takes half a file. Its name holds its key: one that is there already, or was taken in, is not put there again.
The house is known by its host key, we by ours; neither is ever taken on trust.
"""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

import asyncssh

from zax.outside.doors import Clearinghouse, DoorRefused, Incoming, OutsideTrouble, PayerPage
from zax.outside.trouble import trouble_at

IN, OUT, TAKEN = "in", "out", "done"
# Between the key of a file and its name.
BETWEEN = "__"
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class SftpPlace:
    """Where the folders are. `key` is our private key's file, `known_hosts` the file with the house's key, or
    what such a file holds.
    """

    user: str
    host: str
    port: int
    key: Path
    known_hosts: Path | bytes
    seconds: float = 20


class SftpClearinghouse:
    def __init__(self, place: SftpPlace, online: Clearinghouse) -> None:
        self.place, self.online = place, online

    def deliver(self, key: str, name: str, text: str) -> None:
        async def put(house: asyncssh.SFTPClient) -> None:
            whole = f"{key}{BETWEEN}{name}"
            if await house.exists(f"{IN}/{whole}") or await house.exists(f"{TAKEN}/{whole}"):
                return
            part = f"{IN}/.{whole}.part"
            async with house.open(part, "wb") as file:
                await file.write(text.encode())
            await house.rename(part, f"{IN}/{whole}")

        self._with_house(put)

    def collect(self) -> list[Incoming]:
        async def read(house: asyncssh.SFTPClient) -> list[Incoming]:
            names = sorted(str(each) for each in await house.listdir(OUT))
            found = []
            for name in names:
                if not name.startswith("."):
                    async with house.open(f"{OUT}/{name}", "rb") as file:
                        content: Any = await file.read()
                        found.append(Incoming(name, name, content.decode(errors="replace")))
            return found

        return self._with_house(read)

    def confirm(self, file_id: str) -> None:
        async def remove(house: asyncssh.SFTPClient) -> None:
            if await house.exists(f"{OUT}/{file_id}"):
                await house.remove(f"{OUT}/{file_id}")

        self._with_house(remove)

    def _known(self) -> str | bytes:
        known = self.place.known_hosts
        return known if isinstance(known, bytes) else str(known)

    def ask(self, text: str) -> str:
        return self.online.ask(text)

    def ask_status(self, text: str) -> str:
        return self.online.ask_status(text)

    def payers(self, after: str) -> PayerPage:
        return self.online.payers(after)

    def _with_house(self, work: Callable[[asyncssh.SFTPClient], Awaitable[T]]) -> T:
        """Do it over one connection, in the time that is given. Raises OutsideTrouble in words."""

        async def connected() -> T:
            async with (
                asyncssh.connect(
                    self.place.host,
                    self.place.port,
                    username=self.place.user,
                    client_keys=[str(self.place.key)],
                    known_hosts=self._known(),
                    agent_path=None,
                    config=None,
                ) as connection,
                connection.start_sftp_client() as house,
            ):
                return await work(house)

        try:
            return asyncio.run(asyncio.wait_for(connected(), self.place.seconds))
        except asyncssh.HostKeyNotVerifiable as error:
            raise OutsideTrouble(
                "The clearinghouse’s key isn’t the one we know, so nothing was sent. Ask about its new key."
            ) from error
        except asyncssh.PermissionDenied as error:
            raise OutsideTrouble("The clearinghouse didn’t accept our sign-in.") from error
        except (asyncssh.SFTPNoSpaceOnFilesystem, asyncssh.SFTPQuotaExceeded) as error:
            raise DoorRefused("The clearinghouse’s folder has no room for the file.") from error
        except OSError as error:
            raise trouble_at("clearinghouse", error) from error
        except asyncssh.Error as error:
            raise OutsideTrouble(f"The clearinghouse can’t be reached ({type(error).__name__}).") from error
