"""Reads a 999 (005010X231A1) and a TA1: whether a claim file we sent was taken, down to the element.

Loops: AK1 the group that is answered, AK2/IK5 each transaction set with its verdict, IK3/IK4 what is wrong in
it and CTX whose claim it is, AK9 the group's verdict. Codes of IK501 and AK901: A accepted, E accepted with
errors noted, P partly accepted, R, M, W, X rejected. TA1 speaks of the interchange as a whole.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from zax.core.x12.error_codes import (
    ELEMENT_ERRORS,
    INTERCHANGE_ERRORS,
    LOOPS,
    NAMED_LOOPS,
    SEGMENT_ERRORS,
    field_of_error,
)
from zax.core.x12.syntax import Document, Segment, read

_TAKEN = {"A": "accepted", "E": "accepted with errors", "P": "partly accepted"}


def verdict_words(code: str) -> str:
    return _TAKEN.get(code, "rejected")


@dataclass(frozen=True, slots=True)
class FileError:
    """One IK3, or IK4 below it. `position` counts segments from ST as 1; `element` is empty for a segment;
    `claim` is our number where the answer names it (CTX).
    """

    segment: str
    position: int
    loop: str
    code: str
    element: str = ""
    bad: str = ""
    claim: str = ""

    @property
    def words(self) -> str:
        """'NM109 of the plan's holder is too short: X'."""
        name = f"{self.segment}{int(self.element):02}" if self.element.isdecimal() else self.segment
        whose = next((words for loop, words in LOOPS.items() if self.loop.startswith(loop)), "")
        table = ELEMENT_ERRORS if self.element else SEGMENT_ERRORS
        what = table.get(self.code, f"has error {self.code}")
        said = f"{name} of {whose} {what}" if whose else f"{name} {what}"
        return f"{said}: {self.bad}" if self.bad else said


@dataclass(slots=True)
class FileVerdict:
    """Loop 2000: the answer to one transaction set, by its ST02 control number."""

    control: str
    kind: str
    code: str = ""
    errors: list[FileError] = field(default_factory=list)

    @property
    def taken(self) -> bool:
        return self.code in {"A", "E"}


@dataclass(slots=True)
class Acknowledgement:
    """One 999: `group` is the GS06 of the file it answers, `code` the verdict on the group (AK901)."""

    group: str
    code: str = ""
    files: list[FileVerdict] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class AcknowledgementFile:
    acknowledgements: list[Acknowledgement]
    problems: list[str]


@dataclass(frozen=True, slots=True)
class InterchangeVerdict:
    """A TA1: `control` is the ISA13 it answers, `code` A, E or R, `why` its note code."""

    control: str
    code: str
    why: str

    @property
    def taken(self) -> bool:
        return self.code in {"A", "E"}

    @property
    def words(self) -> str:
        why = INTERCHANGE_ERRORS.get(self.why, f"note {self.why}")
        return verdict_words(self.code) + ("" if self.why in {"", "000"} else f": {why}")


def interchange_verdicts(document: Document) -> list[InterchangeVerdict]:
    """What TA1 segments of a file say."""
    return [InterchangeVerdict(each.get(1), each.get(4), each.get(5)) for each in document.ta1]


def read_acknowledgements(text: str) -> AcknowledgementFile:
    return acknowledgements_of(read(text))


def acknowledgements_of(document: Document) -> AcknowledgementFile:
    problems = list(document.problems)
    found: list[Acknowledgement] = []
    for transaction in document.transactions:
        if transaction.kind != "999":
            problems.append(f"Transaction {transaction.control} is a {transaction.kind}, not a 999.")
            continue
        found.append(_read_one(transaction.segments, problems))
    if not found and not problems:
        problems.append("The file holds no acknowledgement (999).")
    return AcknowledgementFile(found, problems)


def _read_one(segments: list[Segment], problems: list[str]) -> Acknowledgement:
    answer = Acknowledgement("")
    for segment in segments:
        errors = answer.files[-1].errors if answer.files else []
        match segment.id:
            case "AK1":
                answer.group = segment.get(2)
            case "AK2":
                answer.files.append(FileVerdict(segment.get(2), segment.get(1)))
            case "IK3" if answer.files:
                place = int(segment.get(2)) if segment.get(2).isdecimal() else 0
                errors.append(FileError(segment.get(1), place, segment.get(3), segment.get(4)))
            case "CTX" if errors and segment.parts(1)[0].startswith("CLM01"):
                errors[-1] = replace(errors[-1], claim=(segment.parts(1) + [""])[1])
            case "IK4" if errors:
                _element(errors, segment)
            case "IK5" if answer.files:
                answer.files[-1].code = segment.get(1)
            case "AK9":
                answer.code = segment.get(1)
            case _:
                continue
    problems += [f"Claim file {each.control} has no verdict (IK5)." for each in answer.files if not each.code]
    if not answer.code:
        problems.append("The acknowledgement has no verdict on the group (AK9).")
    return answer


def _element(errors: list[FileError], segment: Segment) -> None:
    """An element's error takes the place of its segment's "has something wrong in it"."""
    last = errors[-1]
    found = replace(last, element=segment.parts(1)[0], code=segment.get(3), bad=segment.get(4))
    if last.element or last.code != "8":
        errors.append(found)
    else:
        errors[-1] = found


@dataclass(frozen=True, slots=True)
class Located:
    """An error with the claim it is on, and the path of the field to open; both empty for the file's own."""

    error: FileError
    claim: str
    about: str


def locate(errors: Sequence[FileError], sent: Document) -> list[Located]:
    """Where the errors are in the file that was sent: its own segments tell whose claim a position is in,
    whatever the answer names.
    """
    segments = sent.transactions[0].segments if sent.transactions else []
    return [_located(each, segments) for each in errors]


def _located(error: FileError, segments: Sequence[Segment]) -> Located:
    claim, line = _claim_at(segments, error.position)
    error = replace(error, loop=_loop_at(segments, error))
    about = field_of_error(error.segment, error.element, error.loop, line)
    return Located(error, error.claim or claim, about if claim or error.claim else "")


def _loop_at(segments: Sequence[Segment], error: FileError) -> str:
    """IK303 has room for four characters, and 2010 is five loops: the name above says which."""
    names = [each.get(1) for each in segments[: error.position] if each.id == "NM1"]
    loop = NAMED_LOOPS.get(names[-1], "") if names else ""
    return loop if loop.startswith(error.loop) and error.loop else error.loop


def _claim_at(segments: Sequence[Segment], position: int) -> tuple[str, int]:
    """(claim number, service) of the segment at the position, counted from ST as 1. What stands above a claim
    (its subscriber and patient) belongs to the next one.
    """
    claim, line, below = "", 0, False
    for at, segment in enumerate(segments, 1):
        if segment.id == "HL":
            claim, line, below = "", 0, segment.get(3) in {"22", "23"}
        elif segment.id == "CLM":
            claim, line = segment.get(1), 0
            if at >= position:
                return claim, 0
        elif segment.id == "LX":
            line += 1
        if at >= position and claim:
            return claim, line
        if at >= position and not below:
            return "", 0
    return "", 0
