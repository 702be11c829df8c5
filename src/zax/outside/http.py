"""How a door is reached over HTTP: a time limit on every call, certificates checked, no proxy of the
environment.
"""

from __future__ import annotations

import httpx

from zax.outside.doors import NoAnswer, OutsideTrouble


def client(url: str, seconds: float, token: str = "") -> httpx.Client:
    """`token` goes along as a bearer token (RFC 6750) where there is one."""
    headers = {"Authorization": f"Bearer {token}"} if token else {}
    return httpx.Client(base_url=url, timeout=seconds, trust_env=False, headers=headers)


def trouble(words: str, error: Exception) -> OutsideTrouble:
    """The trouble in these words, told apart by what the client raised: nobody answered, or something else
    was wrong.
    """
    return NoAnswer(words) if isinstance(error, httpx.TransportError) else OutsideTrouble(words)
