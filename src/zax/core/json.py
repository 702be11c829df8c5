"""What is kept and sent as JSON: conditions, terms, details of the audit, FHIR, the stand-in's answers.

Its shape is known to whoever reads it and checked there; in between it is only carried.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, TypeAlias

# What the json library gives and takes.
Json: TypeAlias = dict[str, Any]
KeptJson: TypeAlias = Mapping[str, Any]
