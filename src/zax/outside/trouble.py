"""What went wrong at a door, in words for the desk: nobody answered, or there was an answer that is of no
use. Never the other side's own words, which may name a patient.
"""

from __future__ import annotations

import httpx

from zax.outside.doors import NoAnswer, OutsideTrouble


def trouble_at(door: str, error: Exception) -> OutsideTrouble:
    """Of what the client's library raised; `door` as people call it."""
    match error:
        case TimeoutError() | httpx.TimeoutException():
            return NoAnswer(f"The {door} didn’t answer in time.")
        case OSError() | httpx.TransportError():
            return NoAnswer(f"The {door} can’t be reached ({type(error).__name__}).")
        case httpx.HTTPStatusError():
            return returned_an_error(door, error.response.status_code)
        case _:
            return OutsideTrouble(f"The {door}’s answer can’t be read ({type(error).__name__}).")


def returned_an_error(door: str, status: int) -> OutsideTrouble:
    return OutsideTrouble(f"The {door} returned an error ({status}).")
