"""Files of patients by attack: whatever would run or brings a file along is found however deep it lies, and
no picture is read larger than it is needed.
"""

from __future__ import annotations

import io
from typing import Any

import pikepdf
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pikepdf import Array, Dictionary, Name
from PIL import Image

from tests.pictures import headed_png
from zax.core.errors import Refused
from zax.core.patients.uploads import MOST_POINTS, MOST_POINTS_WHOLE, open_picture, read_points, recognize

# Each does something by itself or carries a file (ISO 32000-1, 7.11.4, 12.5.6, 12.6).
ACTIVE: list[dict[str, Any]] = [
    {"/S": Name.JavaScript, "/JS": "x"},
    {"/JS": "x"},
    {"/S": Name.Launch, "/F": "cmd.exe"},
    {"/S": Name.SubmitForm},
    {"/S": Name.ImportData},
    {"/S": Name.GoToE},
    {"/S": Name.GoToR},
    {"/S": Name.Rendition},
    {"/AA": Dictionary()},
    {"/OpenAction": Dictionary(S=Name.GoTo)},
    {"/EmbeddedFiles": Dictionary()},
    {"/EF": Dictionary()},
    {"/AF": Array([])},
    {"/XFA": "x"},
    {"/Subtype": Name.FileAttachment},
    {"/Subtype": Name.RichMedia},
    {"/Type": Name.EmbeddedFile},
]
HARMLESS: list[dict[str, Any]] = [
    {"/S": Name.GoTo, "/D": "page"},
    {"/S": Name.URI, "/URI": "https://clinic.example"},
    {"/Subtype": Name.Link},
    {"/Type": Name.Annot, "/Contents": "JavaScript"},
    {"/OpenAction": Array([0, Name.Fit])},
    {"/Title": "JS"},
]
wrappers = st.lists(st.sampled_from(["array", "dictionary", "indirect", "twice"]), max_size=7)


def pdf_with(part: dict[str, Any], around: list[str]) -> bytes:
    """The part inside as many arrays, dictionaries and objects of their own, hung where a reader would not
    look first.
    """
    made = pikepdf.new()
    made.add_blank_page()
    inside: Any = Dictionary(part)
    for each in around:
        if each == "array":
            inside = Array([1, Name.A, inside])
        elif each == "dictionary":
            inside = Dictionary(K=inside, N=3)
        elif each == "twice":
            inside = Array([Array([inside]), "text"])
        else:
            inside = made.make_indirect(inside)
    made.pages[0].obj["/PieceInfo"] = Dictionary(Z=inside)
    out = io.BytesIO()
    made.save(out, object_stream_mode=pikepdf.ObjectStreamMode.generate)
    return out.getvalue()


@given(st.sampled_from(ACTIVE), wrappers)
def test_what_runs_is_found_however_deep_it_lies(part: dict[str, Any], around: list[str]) -> None:
    """Kills: looking at objects of their own alone, at the catalog alone, not into arrays of arrays."""
    with pytest.raises(Refused, match="runs on its own"):
        recognize(pdf_with(part, around))


@given(st.sampled_from(HARMLESS), wrappers)
def test_what_only_looks_like_it_is_taken(part: dict[str, Any], around: list[str]) -> None:
    assert recognize(pdf_with(part, around)) == "application/pdf"


def test_a_name_spelled_with_figures_is_the_name_it_stands_for() -> None:
    made = pikepdf.new()
    made.add_blank_page()
    made.Root["/PieceInfo"] = Dictionary(S=Name.JavaScript)
    out = io.BytesIO()
    made.save(out, object_stream_mode=pikepdf.ObjectStreamMode.disable)
    spelled = out.getvalue().replace(b"/JavaScript", b"/Java#53cript")
    assert spelled != out.getvalue()
    with pytest.raises(Refused, match="runs on its own"):
        recognize(spelled)


def test_a_pdf_that_bites_its_tail_is_walked_once() -> None:
    made = pikepdf.new()
    made.add_blank_page()
    a = made.make_indirect(Dictionary())
    b = made.make_indirect(Dictionary(A=a))
    a["/B"] = b
    made.pages[0].obj["/PieceInfo"] = Dictionary(Z=a)
    out = io.BytesIO()
    made.save(out)
    assert recognize(out.getvalue()) == "application/pdf"


@pytest.mark.parametrize(("width", "height"), [(MOST_POINTS_WHOLE + 1, 1), (6_001, 6_000)])
def test_a_picture_that_is_read_whole_may_have_fewer_points(width: int, height: int) -> None:
    with pytest.raises(Refused, match="36 million"):
        open_picture(headed_png(width, height), "photo")


@given(st.integers(1, 900), st.integers(1, 900), st.integers(1, 400))
def test_points_are_read_at_the_size_they_are_needed_in(width: int, height: int, side: int) -> None:
    """Kills: reading a JPEG at its full size, making a picture smaller than what is cut from it."""
    out = io.BytesIO()
    Image.new("RGB", (width, height), "#3b5f55").save(out, "JPEG")
    read = read_points(open_picture(out.getvalue(), "photo"), side)
    shorter = min(width, height)
    assert min(read.size) >= min(shorter, side) - 1
    assert min(read.size) <= max(2 * side + 1, min(shorter, side))
    assert abs(read.width * height - read.height * width) <= 2 * max(width, height)


def test_a_jpeg_of_sixty_million_points_is_just_taken() -> None:
    assert MOST_POINTS == 60_000_000
    out = io.BytesIO()
    Image.new("L", (10_000, 6_000)).save(out, "JPEG")
    picture = read_points(open_picture(out.getvalue(), "photo"), 480)
    assert 480 <= min(picture.size) <= 960
