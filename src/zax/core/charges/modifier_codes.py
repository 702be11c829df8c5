"""Which modifiers there are: the two-character codes of HCPCS Level II (CMS, public) and those of Level I
that its lists refer to. By first character, so that the list can be read against its source.

A typing mistake such as ZZ is in no list and is refused where it is typed; whether a payer wants one of these
is the payer's rule.
"""

from __future__ import annotations

from collections.abc import Mapping

_BY_FIRST: Mapping[str, str] = {
    "2": "2 3 4 5 6 7",
    "3": "2 3",
    "4": "7",
    "5": "0 1 2 3 4 5 6 7 8 9",
    "6": "2 3 6",
    "7": "3 4 6 7 8 9",
    "8": "0 1 2",
    "9": "0 1 2 3 5 6 7 9",
    "A": "1 2 3 4 5 6 7 8 9 A D E F G H I J K M O P Q R S T U V W X Y Z",
    "B": "A L O P R U",
    "C": "A B C D E F G H I J K L M N O Q R S T",
    "D": "A",
    "E": "1 2 3 4 A B C D E J M P R T X Y",
    "F": "1 2 3 4 5 6 7 8 9 A B C P Q R S T X Y",
    "G": "0 1 2 3 4 5 6 7 8 9 A B C D E F G H J K L M N O P Q R S T U V W X Y Z",
    "H": "9 A B C D E F G H I J K L M N O P Q R S T U V W X Y Z",
    "J": "1 2 3 4 5 A B C D E G K L W Z",
    "K": "0 1 2 3 4 A B C D E F G H I J K L M N O P Q R S T U V W X Y Z",
    "L": "1 C D L M R S T U",
    "M": "2 A B C D E F G H S",
    "N": "1 2 3 B R U",
    "P": "1 2 3 4 5 6 A B C D I L M N O S T",
    "Q": "0 1 2 3 4 5 6 7 8 9 A B C D E F G H J K L M N P Q R S T U V W X Y Z",
    "R": "A B C D E I R T",
    "S": "A B C D E F G H J K L M N Q S T U V W Y Z",
    "T": "1 2 3 4 5 6 7 8 9 A B C D E F G H J K L M N P Q R S T U V W",
    "U": "1 2 3 4 5 6 7 8 9 A B C D E F G H J K N P Q R S",
    "V": "1 2 3 4 5 6 7 8 9 M P",
    "X": "1 2 3 4 5 E P S U",
    "Z": "A B C",
}
KNOWN = frozenset(first + second for first, rest in _BY_FIRST.items() for second in rest.split())
