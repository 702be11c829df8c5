"""What stands in an address after the question mark."""

from __future__ import annotations

from collections.abc import Mapping


def number_in(query: Mapping[str, str], name: str) -> int:
    text = query.get(name, "")
    return int(text) if text.isdecimal() and len(text) < 10 else 0
