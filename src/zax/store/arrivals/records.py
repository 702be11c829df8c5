"""What was done at arrival, what was signed, and dismissed heads-ups, as the other floors see them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from zax.core.json import KeptJson


@dataclass(frozen=True, slots=True, kw_only=True)
class SignedForm:
    """What was signed, as it was signed; the PDF lies in the file store under `digest` (SHA-256)."""

    id: int
    patient_id: int
    visit_id: int | None
    template_id: int | None
    template_version: int
    proposal_id: int | None
    name: str
    signer: str
    relation: str
    at: datetime
    digest: str
    bytes: int
    answers: KeptJson


@dataclass(frozen=True, slots=True, kw_only=True)
class NamedSignedForm(SignedForm):
    """With who was there; nobody where the patient signed on their own."""

    by_name: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class NewSignedForm:
    patient_id: int
    name: str
    signer: str
    relation: str
    at: datetime
    by_id: int | None
    digest: str
    bytes: int
    answers: KeptJson
    visit_id: int | None = None
    template_id: int | None = None
    template_version: int = 0
    proposal_id: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class StepDone:
    """A step done or skipped (`how`) at a visit."""

    step_id: int
    how: str
    note: str
    at: datetime
    name: str | None


@dataclass(frozen=True, slots=True)
class PutAway:
    """A heads-up that someone dismissed."""

    headsup_id: int
    at: datetime
    name: str
    words: str
