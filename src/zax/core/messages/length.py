"""How long a text is on the phone network: what one message holds depends on the letters in it.

All letters in the GSM 7-bit default alphabet (3GPP TS 23.038, 6.2.1): 160 septets in one message, 153 in each
of several; those of its extension table (6.2.1.1) take two. Any other letter makes the whole text UCS-2: 70
and
67 code units, where an emoji takes two. A pair is never cut in two between messages.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

_BASIC = frozenset(
    "@£$¥èéùìòÇ\nØø\rÅåΔ_ΦΓΛΩΠΨΣΘΞÆæßÉ !\"#¤%&'()*+,-./0123456789:;<=>?"
    "¡ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÑÜ§¿abcdefghijklmnopqrstuvwxyzäöñüà"
)
_EXTENSION = frozenset("\f^{}\\[~]|€")


class Encoding(StrEnum):
    GSM = "GSM-7"
    UCS = "UCS-2"


_ONE = {Encoding.GSM: 160, Encoding.UCS: 70}
_EACH = {Encoding.GSM: 153, Encoding.UCS: 67}


@dataclass(frozen=True, slots=True)
class TextLength:
    """`units` are septets or code units; `forced_by` are the letters that make it UCS-2, each once, in the
    order they come.
    """

    encoding: Encoding
    units: int
    messages: int
    forced_by: tuple[str, ...] = ()

    @property
    def room(self) -> int:
        """The units that as many messages hold."""
        return _ONE[self.encoding] if self.messages <= 1 else _EACH[self.encoding] * self.messages


def text_length(words: str) -> TextLength:
    """An empty text is no message."""
    foreign = tuple(dict.fromkeys(each for each in words if each not in _BASIC | _EXTENSION))
    encoding = Encoding.UCS if foreign else Encoding.GSM
    widths = [_width(each, encoding) for each in words]
    return TextLength(encoding, sum(widths), _messages(widths, encoding), foreign)


def _width(letter: str, encoding: Encoding) -> int:
    if encoding is Encoding.GSM:
        return 2 if letter in _EXTENSION else 1
    return 2 if ord(letter) > 0xFFFF else 1


def _messages(widths: list[int], encoding: Encoding) -> int:
    if sum(widths) <= _ONE[encoding]:
        return 1 if widths else 0
    messages, used = 1, 0
    for width in widths:
        if used + width > _EACH[encoding]:
            messages, used = messages + 1, 0
        used += width
    return messages
