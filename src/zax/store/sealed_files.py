"""Files that only the holder of a key can read: age (X25519, ChaCha20-Poly1305), by Debian’s `age`.

What goes in is never on disk in clear: it is sealed while it is written. The key lies beside the data with
mode 0600; whoever keeps backups keeps a copy of it somewhere else, since without it they are noise.
"""

from __future__ import annotations

import hashlib
import subprocess
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import IO

KEY_FILE = "backup-key"
CHUNK = 1024 * 1024


class SealTrouble(RuntimeError):
    """Something could not be sealed or opened; the message says what."""


def backup_key(var: Path) -> Path:
    """The key, made when there is none."""
    path = var / KEY_FILE
    if not path.exists():
        var.mkdir(parents=True, exist_ok=True)
        part = path.with_suffix(".part")
        part.unlink(missing_ok=True)
        _run(["age-keygen", "-o", str(part)])
        part.chmod(0o600)
        part.rename(path)
    return path


def seal_output(
    key: Path, command: Sequence[str], into: Path, progress: Callable[[int], None] = lambda _: None
) -> str:
    """What the command writes, sealed; the SHA-256 of the sealed file. `progress` is told the bytes so far.
    SealTrouble when it fails; nothing is left then.
    """
    part = into.with_name(into.name + ".part")
    # What it says of itself goes into a file: a pipe that nobody reads meanwhile would hold it up.
    with (
        tempfile.TemporaryFile() as told,
        subprocess.Popen(list(command), stdout=subprocess.PIPE, stderr=told) as source,
    ):
        assert source.stdout
        try:
            with part.open("wb") as out:
                digest = _seal_stream(key, source.stdout, out, progress)
        except BaseException:
            source.kill()
            part.unlink(missing_ok=True)
            raise
        source.wait()
        told.seek(0)
        trouble = told.read().decode(errors="replace")
    if source.returncode:
        part.unlink(missing_ok=True)
        raise SealTrouble(f"{command[0]} failed: {_last(trouble)}")
    part.rename(into)
    return digest


def _seal_stream(key: Path, source: IO[bytes], out: IO[bytes], progress: Callable[[int], None]) -> str:
    """Packed by gzip and sealed by age, counted and summed up on its way."""
    sums, total = hashlib.sha256(), 0
    with (
        subprocess.Popen(["gzip", "-1"], stdin=source, stdout=subprocess.PIPE) as packed,
        subprocess.Popen(
            ["age", "-e", "-i", str(key)], stdin=packed.stdout, stdout=subprocess.PIPE, stderr=subprocess.PIPE
        ) as age,
    ):
        assert packed.stdout and age.stdout and age.stderr
        packed.stdout.close()  # age's alone: should age end, gzip is told
        while chunk := age.stdout.read(CHUNK):
            out.write(chunk)
            sums.update(chunk)
            total += len(chunk)
            progress(total)
        trouble = age.stderr.read().decode(errors="replace")
    if age.returncode or packed.returncode:
        raise SealTrouble(f"age failed: {_last(trouble)}")
    return sums.hexdigest()


def seal_file(key: Path, source: Path, into: Path) -> None:
    """A copy, sealed; whole or not at all."""
    part = into.with_name(into.name + ".part")
    _run(["age", "-e", "-i", str(key), "-o", str(part), str(source)])
    part.rename(into)


def open_into(key: Path, sealed: Path, command: Sequence[str]) -> None:
    """Hand what `seal_output` sealed to a command, such as one that unpacks it."""
    with (
        subprocess.Popen(
            ["age", "-d", "-i", str(key), str(sealed)], stdout=subprocess.PIPE, stderr=subprocess.PIPE
        ) as age,
        subprocess.Popen(
            ["gzip", "-d"], stdin=age.stdout, stdout=subprocess.PIPE, stderr=subprocess.PIPE
        ) as plain,
    ):
        assert age.stdout and age.stderr and plain.stdout
        age.stdout.close()
        done = subprocess.run(list(command), stdin=plain.stdout, capture_output=True, check=False)
        plain.stdout.close()
        trouble = age.stderr.read().decode(errors="replace")
    if age.returncode:
        raise SealTrouble(f"{sealed.name} can’t be opened: {_last(trouble)}")
    if done.returncode or plain.returncode:
        raise SealTrouble(f"{command[0]} failed: {_last(done.stderr.decode(errors='replace'))}")


def open_file(key: Path, sealed: Path, into: Path) -> None:
    _run(["age", "-d", "-i", str(key), "-o", str(into), str(sealed)])


def _run(command: Sequence[str]) -> None:
    done = subprocess.run(list(command), capture_output=True, check=False)
    if done.returncode:
        raise SealTrouble(f"{command[0]} failed: {_last(done.stderr.decode(errors='replace'))}")


def _last(text: str) -> str:
    lines = [line for line in text.splitlines() if line.strip()]
    return lines[-1] if lines else "it said nothing"
