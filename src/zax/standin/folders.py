"""The clearinghouse's folders over SFTP: what is put into *in* is taken as a claim file and lies in *done*
afterwards; what it has to say of such files lies in *out* until it is removed. Names that begin with a dot
are still being written and are left alone.

Its own key, and the one it lets in, are made once beside its memory: `host_key`, `client_key`, and
`known_hosts` for who connects.
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from pathlib import Path

import asyncssh

from zax.standin.keep import Keep

IN, OUT, DONE = "in", "out", "done"
USER = "zax"
EVERY = 0.2


@asynccontextmanager
async def folders(
    keep: Keep, port: int, take: Callable[[str, str, str], None], waiting: Callable[[], list[dict[str, str]]]
) -> AsyncIterator[None]:
    """Serve them on loopback. `take` gets key, name and text of a file that came; `waiting` gives what there
    is to lay out.
    """
    root = keep.folder / "sftp"
    for name in (IN, OUT, DONE):
        (root / name).mkdir(parents=True, exist_ok=True)
    host, client = _key(keep.folder / "host_key"), _key(keep.folder / "client_key")
    known = f"[127.0.0.1]:{port} {host.export_public_key().decode()}"
    (keep.folder / "known_hosts").write_text(known)

    class Door(asyncssh.SSHServer):
        def begin_auth(self, username: str) -> bool:
            return True

        def public_key_auth_supported(self) -> bool:
            return True

        def validate_public_key(self, username: str, key: asyncssh.SSHKey) -> bool:
            return username == USER and key.public_data == client.public_data

    server = await asyncssh.create_server(
        Door,
        "127.0.0.1",
        port,
        server_host_keys=[host],
        sftp_factory=lambda chan: asyncssh.SFTPServer(chan, chroot=str(root).encode()),
    )
    watching = asyncio.create_task(_watch(root, take, waiting))
    try:
        yield
    finally:
        watching.cancel()
        server.close()


def _key(path: Path) -> asyncssh.SSHKey:
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        asyncssh.generate_private_key("ssh-ed25519").write_private_key(str(path))
        path.chmod(0o600)
    return asyncssh.read_private_key(str(path))


async def _watch(
    root: Path, take: Callable[[str, str, str], None], waiting: Callable[[], list[dict[str, str]]]
) -> None:
    while True:
        for path in sorted((root / IN).iterdir()):
            if not path.name.startswith("."):
                key, _, name = path.name.partition("__")
                await asyncio.to_thread(take, key, name, path.read_text(errors="replace"))
                path.rename(root / DONE / path.name)
        for each in await asyncio.to_thread(waiting):
            part = root / OUT / f".{each['name']}"
            part.write_text(each["text"])
            part.rename(root / OUT / each["name"])
        await asyncio.sleep(EVERY)
