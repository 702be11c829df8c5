"""Which starter set a clinic gets for what it does."""

from __future__ import annotations

from zax.core.setup.starter import Kind, StarterSet, together
from zax.core.setup.starter_dental import DENTAL
from zax.core.setup.starter_medical import MEDICAL
from zax.core.setup.starter_shared import SHARED

_OF: dict[Kind, StarterSet] = {
    Kind.DENTAL: together(SHARED, DENTAL),
    Kind.MEDICAL: together(SHARED, MEDICAL),
    Kind.BOTH: together(SHARED, DENTAL, MEDICAL),
}


def starter(kind: Kind) -> StarterSet:
    return _OF[kind]
