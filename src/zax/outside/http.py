"""How a door is reached over HTTP: a time limit on every call, certificates checked, no proxy of the
environment.
"""

from __future__ import annotations

import httpx


def client(url: str, seconds: float, token: str = "") -> httpx.Client:
    """`token` goes along as a bearer token (RFC 6750) where there is one."""
    headers = {"Authorization": f"Bearer {token}"} if token else {}
    return httpx.Client(base_url=url, timeout=seconds, trust_env=False, headers=headers)
