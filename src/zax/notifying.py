"""What a part tells the service manager that started it: that it is ready, and that it lives (sd_notify(3)).

Without one, nothing: `zax demo` and `zax run` watch their parts themselves (zax.supervisor).
"""

from __future__ import annotations

import os
import socket


def tell(state: str) -> None:
    """Such as READY=1 or WATCHDOG=1, to the socket named in NOTIFY_SOCKET. A manager that is going down and
    no longer listens is no reason to fail.
    """
    address = os.environ.get("NOTIFY_SOCKET", "")
    if not address:
        return
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM | socket.SOCK_CLOEXEC) as out:
        try:
            out.sendto(state.encode(), "\0" + address[1:] if address.startswith("@") else address)
        except (ConnectionRefusedError, FileNotFoundError):
            return


def ready() -> None:
    tell("READY=1")


def alive() -> None:
    tell("WATCHDOG=1")
