"""What may be kept of a patient on paper: recognised by its content, whatever its name says; and how a photo
becomes a portrait.

PDF, JPEG, PNG and TIFF up to 25 MB. A PDF that carries a script, an action that starts something, or another
file inside is refused; so is a picture whose sides say that it would not fit into memory (its header is read
before any of its points). Portraits are turned, cut, made small and written anew, so that nothing of the
original's metadata (place, camera, time) stays.
"""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass

import pikepdf
from PIL import Image, ImageOps, UnidentifiedImageError

from zax.core.errors import Refused

LARGEST = 25 * 1024 * 1024
MOST_POINTS = 60_000_000
PORTRAIT = 480
KINDS = {
    "letter": "letter",
    "scan": "scan",
    "insurance": "insurer’s paper",
    "card_front": "insurance card, front",
    "card_back": "insurance card, back",
    "xray": "x-ray",
    "consent": "signed form",
    "history": "health history",
    "other": "other",
}
_BEGINNINGS = (
    (b"%PDF-", "application/pdf"),
    (b"\xff\xd8\xff", "image/jpeg"),
    (b"\x89PNG\r\n\x1a\n", "image/png"),
    (b"II*\x00", "image/tiff"),
    (b"MM\x00*", "image/tiff"),
)
# What a whole picture ends with; cameras may put something of their own after it.
_ENDS = {"image/jpeg": b"\xff\xd9", "image/png": b"IEND"}
TAIL = 64 * 1024
_ACTIVE_KEYS = ("/JS", "/JavaScript", "/OpenAction", "/AA", "/Launch", "/EmbeddedFiles", "/RichMedia", "/XFA")


def recognise(content: bytes, field: str = "file") -> str:
    """The media type; Refused when it is empty, too large, of another kind, broken, or active."""
    if not content:
        raise Refused("The file is empty. Choose it again.", field)
    if len(content) > LARGEST:
        raise Refused(f"The file has {len(content) / 1024 / 1024:.0f} MB; at most 25 MB can be kept.", field)
    media = next((media for begins, media in _BEGINNINGS if content.startswith(begins)), "")
    if not media:
        raise Refused("Only PDF, JPEG, PNG and TIFF can be kept. What is inside counts, not the name.", field)
    if media == "application/pdf":
        _check_pdf(content, field)
    elif media in _ENDS and _ENDS[media] not in content[-TAIL:]:
        raise Refused("The picture breaks off in the middle. Take or save it again.", field)
    else:
        open_picture(content, field)
    return media


def _check_pdf(content: bytes, field: str) -> None:
    try:
        with pikepdf.open(io.BytesIO(content)) as pdf:
            pages = len(pdf.pages)
            active = next((key for each in pdf.objects for key in _active(each)), "")
    except pikepdf.PasswordError:
        raise Refused("The PDF is locked with a password. Save it without one.", field) from None
    except (pikepdf.PdfError, ValueError, RecursionError):
        raise Refused("The PDF is broken and cannot be opened. Print it to a new PDF.", field) from None
    if not pages:
        raise Refused("The PDF has no pages.", field)
    if active:
        raise Refused(
            f"The PDF holds something that runs by itself ({active[1:]}). Print it to a new PDF and keep"
            " that.",
            field,
        )


def _active(each: pikepdf.Object) -> list[str]:
    """Keys of a PDF object that make a reader do something by itself (ISO 32000-1, 12.6). An OpenAction that
    only names a page is harmless.
    """
    if not isinstance(each, pikepdf.Dictionary | pikepdf.Stream):
        return []
    found = [key for key in _ACTIVE_KEYS if key in each]
    if "/OpenAction" in found and isinstance(each["/OpenAction"], pikepdf.Array):
        found.remove("/OpenAction")
    return found


def open_picture(content: bytes, field: str) -> Image.Image:
    """The picture, its header read and its size checked; points are read only when asked for."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # sizes are judged here
            picture = Image.open(io.BytesIO(content), formats=("JPEG", "PNG", "TIFF"))
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise Refused(
            "The picture is broken, or far too large, and cannot be opened. Save it again in a smaller size.",
            field,
        ) from None
    width, height = picture.size
    if width * height > MOST_POINTS:
        raise Refused(
            f"The picture has {width:,} x {height:,} points; at most 60 million in all. Save it smaller.",
            field,
        )
    return picture


@dataclass(frozen=True, slots=True)
class Cut:
    """How a portrait is cut: quarter turns to the right, then a square by its left and upper edge and side,
    in thousandths of the shorter side's picture.
    """

    turns: int = 0
    left: int = 0
    top: int = 0
    side: int = 1000


def portrait(content: bytes, cut: Cut, field: str = "photo") -> bytes:
    """A square JPEG of 480 points without metadata; Refused for what is no picture."""
    if recognise(content, field) == "application/pdf":
        raise Refused("A photo is a picture: JPEG, PNG or TIFF.", field)
    picture = open_picture(content, field)
    try:
        upright = ImageOps.exif_transpose(picture).convert("RGB")
    except (OSError, ValueError, SyntaxError):
        raise Refused("The picture breaks off in the middle. Take or save it again.", field) from None
    if cut.turns % 4:
        upright = upright.rotate(-90 * (cut.turns % 4), expand=True)
    width, height = upright.size
    shorter = min(width, height)
    side = max(1, min(shorter, shorter * max(50, min(1000, cut.side)) // 1000))
    left = max(0, min(width - side, width * cut.left // 1000))
    top = max(0, min(height - side, height * cut.top // 1000))
    small = upright.crop((left, top, left + side, top + side)).resize(
        (PORTRAIT, PORTRAIT), Image.Resampling.LANCZOS
    )
    clean = Image.new("RGB", small.size)
    clean.paste(small)
    out = io.BytesIO()
    clean.save(out, "JPEG", quality=88)
    return out.getvalue()


def as_png(content: bytes) -> bytes:
    """A picture that browsers do not show (TIFF), as PNG of at most 1600 points a side."""
    picture = open_picture(content, "file").convert("RGB")
    picture.thumbnail((1600, 1600))
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()
