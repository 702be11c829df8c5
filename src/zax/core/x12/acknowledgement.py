"""Reads a 999 (005010X231A1): whether a claim file we sent was taken, file by file.

Loops: AK1 the group that is answered, AK2/IK5 each transaction set with its verdict, IK3/IK4 what is wrong in
it, AK9 the group's verdict. Codes of IK501 and AK901: A accepted, E accepted with errors noted, P partly
accepted, R, M, W, X rejected.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from zax.core.x12.syntax import Document, Segment, read

_TAKEN = {"A": "accepted", "E": "accepted with errors", "P": "partly accepted"}


def verdict_words(code: str) -> str:
    return _TAKEN.get(code, "rejected")


@dataclass(slots=True)
class FileVerdict:
    """Loop 2000: the answer to one transaction set, by its ST02 control number; `errors` in words with the
    place.
    """

    control: str
    kind: str
    code: str = ""
    errors: list[str] = field(default_factory=list)

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
    place = ""
    for segment in segments:
        match segment.id:
            case "AK1":
                answer.group = segment.get(2)
            case "AK2":
                answer.files.append(FileVerdict(segment.get(2), segment.get(1)))
            case "IK3" if answer.files:
                place = f"segment {segment.get(1)} ({segment.get(2)})"
                answer.files[-1].errors.append(f"{place}: code {segment.get(4)}")
            case "IK4" if answer.files:
                bad = f", {segment.get(4)!r}" if segment.get(4) else ""
                answer.files[-1].errors.append(
                    f"{place} element {segment.parts(1)[0]}: code {segment.get(3)}{bad}"
                )
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
