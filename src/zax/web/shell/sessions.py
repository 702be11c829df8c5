"""The cookie of a session, signed with the newest key and read with any that still holds: keys change while
people are signed in.
"""

from __future__ import annotations

from typing import Any

from itsdangerous import TimestampSigner
from starlette.middleware.sessions import SessionMiddleware
from starlette.types import ASGIApp, Receive, Scope, Send

from zax.store.keyring import KeyRing


class Sessions(SessionMiddleware):
    """`more` as starlette takes it."""

    def __init__(self, app: ASGIApp, /, keys: KeyRing, **more: Any) -> None:
        super().__init__(app, keys.newest, **more)
        self.keys = keys
        self._signs_with: tuple[str, ...] = ()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        keys = self.keys.texts
        if keys != self._signs_with:
            # itsdangerous signs with the last and reads with all of them.
            self.signer, self._signs_with = TimestampSigner(list(reversed(keys))), keys
        await super().__call__(scope, receive, send)
