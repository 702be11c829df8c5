"""`zax keys rotate`: new keys beside the database, while Zax runs."""

from __future__ import annotations

from cryptography.fernet import InvalidToken
from rich.console import Console

from zax.desk.acts.actor import WORKER
from zax.desk.setup.keys import rotate_keys
from zax.processes import desk_of
from zax.settings import Settings

console = Console(stderr=True, highlight=False)


def rotate() -> int:
    """0 when the new keys hold, 1 when they don't."""
    settings = Settings()
    try:
        done = rotate_keys(desk_of(settings), WORKER, settings.var)
    except InvalidToken:
        console.print("✗ Something is sealed with a key that isn’t here. Bring back the old key file first.")
        return 1
    except OSError as error:
        console.print(f"✗ {error.filename} can’t be written: {error.strerror}.")
        return 1
    console.print(f"New keys sign and seal from now on; {done.resealed} values were sealed anew.")
    if done.dropped:
        console.print(f"{done.dropped} old keys are thrown away.")
    if done.kept:
        console.print(
            f"{done.kept} old keys still open what they made. Run this again after a day to drop them."
        )
    return 0
