"""What may be kept of a patient on paper: recognized by its content, whatever its name says; and how a photo
becomes a portrait.

PDF, JPEG, PNG and TIFF up to 25 MB. Every object of a PDF is walked, however deep: one that carries a script,
an action that starts something, or another file inside is refused. So is a picture whose sides say that it
would not fit into memory: its header is read before any of its points, and points are read at the size they
are needed in, one picture at a time. Portraits are cut, turned, made small and written anew, so that nothing
of the original's metadata (place, camera, time) stays.
"""

from __future__ import annotations

import io
import warnings
from collections.abc import Iterator
from dataclasses import dataclass
from threading import Lock

import pikepdf
from PIL import Image, ImageOps, UnidentifiedImageError

from zax.core.errors import Refused

LARGEST = 25 * 1024 * 1024
MOST_POINTS = 60_000_000
# A PNG or TIFF is read whole before it can be made smaller, four bytes a point.
MOST_POINTS_WHOLE = 36_000_000
MOST_PDF_PARTS = 2_000_000
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
# What makes a reader do something by itself, or brings another file along (ISO 32000-1, 7.11.4, 12.5.6,
# 12.6): keys of a dictionary, and what its subtype or action may not be.
_ACTIVE_KEYS = frozenset(
    {
        *("/JS", "/JavaScript", "/AA", "/Launch", "/EmbeddedFiles", "/EmbeddedFile", "/RichMedia"),
        *("/RichMediaContent", "/RichMediaSettings", "/XFA", "/EF", "/AF"),
    }
)
_ACTIVE_KINDS = frozenset(
    {
        *("/JavaScript", "/Launch", "/SubmitForm", "/ImportData", "/ResetForm", "/GoToE", "/GoToR"),
        *("/Rendition", "/Movie", "/Sound", "/RichMediaExecute", "/GoTo3DView", "/Trans"),
        *("/FileAttachment", "/RichMedia", "/Screen", "/3D", "/EmbeddedFile"),
    }
)
_KIND_KEYS = ("/S", "/Subtype", "/Type")
_one_at_a_time = Lock()


def recognize(content: bytes, field: str = "file") -> str:
    """The media type; Refused when it is empty, too large, of another kind, broken, or active."""
    if not content:
        raise Refused("The file is empty. Choose it again.", field)
    if len(content) > LARGEST:
        raise Refused(f"The file has {len(content) / 1024 / 1024:.0f} MB; the limit is 25 MB.", field)
    media = next((media for begins, media in _BEGINNINGS if content.startswith(begins)), "")
    if not media:
        raise Refused(
            "Only PDF, JPEG, PNG and TIFF files work. What’s inside counts, not the file name.", field
        )
    if media == "application/pdf":
        _check_pdf(content, field)
    elif media in _ENDS and _ENDS[media] not in content[-TAIL:]:
        raise Refused("The picture is cut off partway. Take it or save it again.", field)
    else:
        open_picture(content, field)
    return media


def _check_pdf(content: bytes, field: str) -> None:
    try:
        with pikepdf.open(io.BytesIO(content)) as pdf:
            pages = len(pdf.pages)
            active = next(_active(pdf), "")
    except pikepdf.PasswordError:
        raise Refused("The PDF is locked with a password. Save it without one.", field) from None
    except (pikepdf.PdfError, ValueError, RecursionError):
        raise Refused("The PDF is damaged and can’t be opened. Print it to a new PDF.", field) from None
    if not pages:
        raise Refused("The PDF has no pages.", field)
    if active:
        raise Refused(
            f"The PDF contains something that runs on its own ({active[1:]}). Print it to a new PDF and keep"
            " that.",
            field,
        )


def _active(pdf: pikepdf.Pdf) -> Iterator[str]:
    """What in the PDF would do something by itself, or brings a file along. Every object is looked at, and
    what is written inside it; a name that is spelled with figures (#4A) is the name it stands for.
    """
    seen = 0
    for each in pdf.objects:
        inside = [each]
        while inside:
            part = inside.pop()
            seen += 1
            if seen > MOST_PDF_PARTS:
                raise ValueError("too many parts")
            if isinstance(part, pikepdf.Array):
                inside += [one for one in _items(part) if not one.is_indirect]
            elif isinstance(part, pikepdf.Dictionary | pikepdf.Stream):
                yield from _active_in(part)
                inside += [part[key] for key in set(part.keys()) if not _indirect(part[key])]


def _items(part: pikepdf.Array) -> list[pikepdf.Object]:
    return [one for one in part if isinstance(one, pikepdf.Object)]  # numbers and texts come as such


def _indirect(part: object) -> bool:
    """What stands elsewhere is walked on its own; numbers and texts have nothing inside."""
    return not isinstance(part, pikepdf.Object) or part.is_indirect


def _active_in(part: pikepdf.Dictionary | pikepdf.Stream) -> Iterator[str]:
    yield from sorted(_ACTIVE_KEYS & set(part.keys()))
    if "/OpenAction" in part and not isinstance(part["/OpenAction"], pikepdf.Array):
        yield "/OpenAction"  # one that only names a page is harmless
    kinds = (part.get(key) for key in _KIND_KEYS)
    yield from (str(kind) for kind in kinds if isinstance(kind, pikepdf.Name) and str(kind) in _ACTIVE_KINDS)


def open_picture(content: bytes, field: str) -> Image.Image:
    """The picture, its header read and its size checked; points are read only when asked for."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # sizes are judged here
            picture = Image.open(io.BytesIO(content), formats=("JPEG", "PNG", "TIFF"))
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise Refused(
            "The picture is damaged or far too large and can’t be opened. Save it again in a smaller size.",
            field,
        ) from None
    width, height = picture.size
    most = MOST_POINTS if picture.format == "JPEG" else MOST_POINTS_WHOLE
    if width * height > most:
        raise Refused(
            f"The picture has {width:,} x {height:,} points; at most {most // 10**6} million can be taken."
            " Save it smaller.",
            field,
        )
    return picture


def read_points(picture: Image.Image, side: int) -> Image.Image:
    """The picture with its shorter side at most twice `side` points long; a JPEG is never read larger."""
    shorter = min(picture.size)
    if shorter > side:
        scale = shorter / side
        wanted = (round(picture.width / scale), round(picture.height / scale))
        picture.draft("RGB", wanted)
        picture.thumbnail((2 * wanted[0], 2 * wanted[1]))
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
    if recognize(content, field) == "application/pdf":
        raise Refused("A photo is a picture: JPEG, PNG or TIFF.", field)
    picture = open_picture(content, field)
    share = max(50, min(1000, cut.side))
    try:
        with _one_at_a_time:
            upright = ImageOps.exif_transpose(read_points(picture, PORTRAIT * 1000 // share)).convert("RGB")
    except (OSError, ValueError, SyntaxError):
        raise Refused("The picture is cut off partway. Take it or save it again.", field) from None
    if cut.turns % 4:
        upright = upright.rotate(-90 * (cut.turns % 4), expand=True)
    width, height = upright.size
    shorter = min(width, height)
    side = max(1, min(shorter, shorter * share // 1000))
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
    with _one_at_a_time:
        picture = open_picture(content, "file")
        picture.thumbnail((1600, 1600))
        shown = picture.convert("RGB")
    out = io.BytesIO()
    shown.save(out, "PNG")
    return out.getvalue()
