"""The clinic's own mailbox, by POP3 (RFC 1939): what came back lies in it until it is deleted. One user,
whose password is in the folder's file.
"""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from zax.standin.keep import Json, Keep

USER, SECRET = "desk", "mailbox_secret"


class Session:
    """One connection: what it sees, what it deletes when it quits."""

    def __init__(self, keep: Keep, secret: str) -> None:
        self.keep, self.secret = keep, secret
        self.mails: list[Json] = []
        self.gone: set[int] = set()
        self.user = ""

    def answer(self, line: str) -> list[str]:
        """The lines to one command; the last of several is a point."""
        command, _, rest = line.strip().partition(" ")
        words = rest.split()
        if command.upper() in {"USER", "PASS"}:
            return [self._sign_in(command.upper(), rest)]
        if command.upper() == "QUIT":
            for number in self.gone:
                self.keep.remove("bounces", self.mails[number]["name"])
            return ["+OK bye"]
        if command.upper() == "CAPA":
            return ["+OK", "TOP", "UIDL", "USER", "."]
        if self.user != USER:
            return ["-ERR sign in first"]
        return self._signed_in(command.upper(), words)

    def _sign_in(self, command: str, rest: str) -> str:
        if command == "USER":
            self.name = rest
            return "+OK"
        if self.name != USER or not secrets.compare_digest(rest.encode(), self.secret.encode()):
            return "-ERR wrong password"
        self.user = USER
        self.mails = self.keep.all("bounces")
        return "+OK"

    def _signed_in(self, command: str, words: list[str]) -> list[str]:
        there = [number for number in range(len(self.mails)) if number not in self.gone]
        number = int(words[0]) - 1 if words and words[0].isdecimal() else -1
        if command == "STAT":
            return [f"+OK {len(there)} {sum(len(self.mails[each]['text']) for each in there)}"]
        if command == "NOOP":
            return ["+OK"]
        if command in {"LIST", "UIDL"} and not words:
            shown = {each: self.mails[each]["id"] for each in there}
            if command == "LIST":
                shown = {each: len(self.mails[each]["text"]) for each in there}
            return ["+OK", *(f"{each + 1} {words}" for each, words in shown.items()), "."]
        if number not in there:
            return ["-ERR no such mail"]
        if command == "DELE":
            self.gone.add(number)
            return ["+OK"]
        lines = str(self.mails[number]["text"]).splitlines()
        if command == "TOP":
            lines = lines[: lines.index("") + 1 if "" in lines else len(lines)]
        if command in {"RETR", "TOP"}:
            return ["+OK", *("." + each if each.startswith(".") else each for each in lines), "."]
        return ["-ERR what?"]


@asynccontextmanager
async def mailbox(keep: Keep, folder: Path, port: int) -> AsyncIterator[None]:
    """Serve it on loopback."""
    folder.mkdir(parents=True, exist_ok=True)
    file = folder / SECRET
    if not file.exists():
        file.write_text(secrets.token_urlsafe(24))

    async def talk(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        session = Session(keep, file.read_text().strip())
        writer.write(b"+OK mailbox\r\n")
        while line := await reader.readline():
            said = session.answer(line.decode(errors="replace"))
            writer.write("".join(f"{each}\r\n" for each in said).encode())
            await writer.drain()
            if said == ["+OK bye"]:
                break
        writer.close()

    server = await asyncio.start_server(talk, "127.0.0.1", port)
    async with server:
        yield
