"""What a payer adds to or takes from a payment as a whole, beside its claims: interest, money taken back,
money carried forward.

Such amounts belong to no service. They stand on an account of the payer's own, which grows by what the payer
took (above zero) and shrinks by what it added: money that is only moved between two payments comes to
nothing in the end, and what does not is in sight. Source: 005010X221A1 segment PLB, code list 426.
"""

from __future__ import annotations

from enum import StrEnum


class Nature(StrEnum):
    """CARRIED: moved between payments, so the account comes back to nothing. EARNED: income that belongs to
    no claim. KEPT: withheld or a fee.
    """

    CARRIED = "carried"
    EARNED = "earned"
    KEPT = "kept"


# The clinic's own entry for a check that it sent to a payer.
REFUND_SENT = "refund"
_WORDS: dict[str, tuple[str, Nature]] = {
    "50": ("late filing reduction", Nature.KEPT),
    "51": ("interest penalty", Nature.KEPT),
    "72": ("our refund, received", Nature.CARRIED),
    "90": ("early payment allowance", Nature.KEPT),
    "AH": ("origination fee", Nature.KEPT),
    "AM": ("applied to a loan", Nature.CARRIED),
    "AP": ("payment in advance", Nature.CARRIED),
    "B2": ("rebate", Nature.EARNED),
    "B3": ("recovery allowance", Nature.EARNED),
    "BD": ("bad debt", Nature.EARNED),
    "BN": ("bonus", Nature.EARNED),
    "C5": ("temporary allowance", Nature.CARRIED),
    "CR": ("interest on capitation", Nature.EARNED),
    "CS": ("adjustment", Nature.CARRIED),
    "CT": ("capitation", Nature.EARNED),
    "E3": ("withholding", Nature.KEPT),
    "FB": ("balance carried forward", Nature.CARRIED),
    "FC": ("allocation of funds", Nature.EARNED),
    "IP": ("incentive", Nature.EARNED),
    "IR": ("tax withheld", Nature.KEPT),
    "IS": ("settlement in between", Nature.CARRIED),
    "J1": ("not reimbursed", Nature.KEPT),
    "L3": ("penalty", Nature.KEPT),
    "L6": ("interest", Nature.EARNED),
    "LE": ("levy", Nature.KEPT),
    "LS": ("lump sum", Nature.EARNED),
    "OB": ("taken for another provider", Nature.CARRIED),
    "PI": ("payment in parts", Nature.CARRIED),
    "PL": ("final payment", Nature.EARNED),
    "RA": ("change looking back", Nature.CARRIED),
    "SL": ("student loan", Nature.KEPT),
    "TL": ("third party’s part", Nature.CARRIED),
    "WO": ("overpayment taken back", Nature.CARRIED),
    "WU": ("recovery, not explained", Nature.CARRIED),
    REFUND_SENT: ("refund sent to the payer", Nature.CARRIED),
}


CARRIED = tuple(reason for reason, (_, nature) in _WORDS.items() if nature is Nature.CARRIED)


def nature_of(reason: str) -> Nature:
    """CARRIED for one that we don't know: it stays open in sight."""
    return _WORDS[reason][1] if reason in _WORDS else Nature.CARRIED


def level_words(reason: str) -> str:
    """'WO: overpayment taken back'; the code is always shown, one without words alone."""
    if reason == REFUND_SENT:
        return _WORDS[reason][0]
    return f"{reason}: {_WORDS[reason][0]}" if reason in _WORDS else f"reason {reason}"


def unexplained(reason: str, cents: int, before: int) -> int:
    """Cents that a payer takes although nothing was left to be taken: what stands on its account `before`
    (below zero is what it still has to take) does not cover them. Nothing for what it adds or may keep.
    """
    if cents <= 0 or nature_of(reason) is not Nature.CARRIED:
        return 0
    return max(0, cents - max(0, -before))
