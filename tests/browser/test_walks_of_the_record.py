"""The record in a real browser: found and fixed by keys, covered and checked, two made one, photographed, a
list taken in.
"""

from collections.abc import Callable
from pathlib import Path

from PIL import Image
from selenium.webdriver.common.keys import Keys
from sqlalchemy import text

from tests.browser.conftest import Person, Running, of


def patient(zax: Running, first: str, last: str) -> int:
    return int(
        of(
            zax,
            "SELECT MIN(id) FROM patient WHERE first = :first AND last = :last AND status = 'active'",
            first=first,
            last=last,
        )
    )


def test_earlier_work_is_entered_by_keys_and_by_mouse(person: Callable[[str], Person], zax: Running) -> None:
    number = patient(zax, "Grace", "Lindqvist")
    desk = person("juno")

    def chart() -> list[str]:
        rows = desk.driver.execute_script(
            "return [...document.querySelectorAll('.toothlist:not(.now) li')].map(li => li.innerText)"
        )
        return [" ".join(row.replace("×", "").split()) for row in rows]

    desk.open(f"/patients/{number}")
    desk.press("t")
    desk.at("/teeth")
    desk.focus().send_keys("30 crwn 2019" + Keys.ENTER)
    desk.see("can’t be read", "#err-line, .err")
    desk.type("#line", "30 crown 2019", clear=True)
    desk.see("Tooth 30: crown", "#toothsays")
    assert desk.find('.tooth.chosen[data-shown="30"]')
    desk.focus().send_keys(Keys.ENTER)
    desk.see("crown", ".toothlist")
    # On the chart: two teeth by mouse, then the letter of the work.
    for tooth in ("2", "15", "14", "14"):
        desk.find(f'.tooth[data-shown="{tooth}"] text').click()
    assert desk.find("#line").get_attribute("value").split() == ["2", "15"]
    desk.press("m")
    desk.see("Teeth 2, 15: missing", "#toothsays")
    desk.press(Keys.ENTER)
    desk.see("2 15", ".toothlist")
    assert chart() == ["2 15 missing unknown", "30 crown 2019"]
    assert desk.find("#line") == desk.focus() and desk.find("#line").get_attribute("value") == ""
    # By arrows: from the upper right over the arch, and to the tooth below.
    desk.driver.execute_script("document.querySelector('.tooth[tabindex=\"0\"]').focus()")
    desk.press(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT, Keys.SPACE, Keys.ARROW_DOWN, Keys.SPACE, "x")
    desk.see("Teeth 3, 30: to be extracted", "#toothsays")
    desk.type("#line", "", clear=True)
    # Undo takes the last line back; it can be put back.
    desk.driver.execute_script("document.activeElement.blur()")
    desk.press("u")
    desk.see("Off the chart.")
    assert chart() == ["30 crown 2019"]
    desk.find("form[action$='put-back'] button").click()
    desk.see("On the chart again.")
    assert chart() == ["2 15 missing unknown", "30 crown 2019"]
    assert of(zax, "SELECT COUNT(*) FROM charge_line WHERE tooth = '2' AND visit_id IS NULL") == 0


def test_a_gap_is_mended_by_keys_and_the_second_is_told(
    person: Callable[[str], Person], zax: Running
) -> None:
    number = patient(zax, "Grace", "Lindqvist")
    desk, other = person("juno"), person("ravi")
    other.open(f"/patients/{number}?edit=person")
    desk.press("/")
    desk.focus().send_keys("grase lindqist")  # mistyped twice
    desk.see("Lindqvist, Grace", "#found")
    desk.press(Keys.ENTER)
    desk.at(f"/patients/{number}")
    desk.see("No emergency contact")
    desk.press("1")
    desk.at("edit=person")
    desk.type("#emergency_name", "Anders Lindqvist", clear=True)
    desk.type("#emergency_phone", "555 01", clear=True)
    desk.control_enter()
    desk.see("isn’t a phone number", "#part-person")
    assert desk.find("#emergency_name").get_attribute("value") == "Anders Lindqvist"
    desk.type("#emergency_phone", "360 555 0193", clear=True)
    desk.control_enter()
    desk.see("Anders Lindqvist", "#part-person")
    other.type("#employer", "Ferry Works", clear=True)
    other.control_enter()
    other.see("Juno Park has changed")
    other.see("emergency contact to “Anders Lindqvist”")
    assert other.find("#employer").get_attribute("value") == "Ferry Works"
    other.type("#emergency_name", "Anders Lindqvist", clear=True)
    other.control_enter()
    other.see("Ferry Works", "#part-person")


def test_coverage_is_entered_asked_about_and_taken_over(
    person: Callable[[str], Person], zax: Running
) -> None:
    odile = person("odile")
    number = patient(zax, "Marcus", "Bell")  # Brightwater
    odile.open(f"/patients/{number}")
    odile.press("q")
    odile.see("Active, Brightwater Family.")
    odile.see("Fillings, root canals, gum care, mouth surgery")
    odile.see("Annual maximum: plan says $2,000.00, payer says $1,500.00")
    odile.press("2")
    odile.see("is updated for everyone who has it")
    odile.until(
        lambda: of(zax, "SELECT JSON_VALUE(terms, '$.maximum_cents') FROM plan WHERE id = 2") == "150000",
        "the plan follows",
    )
    odile.press(Keys.ESCAPE)
    odile.at(f"/patients/{number}")
    odile.click_words("add", "main .news > div:nth-child(2)")
    odile.type("#plan_id", "Harbor Guild")
    odile.type("#member_id", "HG-90210")
    odile.click("input[name=holder][value=outside]")
    odile.type("#relationship", "spouse")
    odile.type("#holder_first", "Ada")
    odile.type("#holder_last", "Bell")
    odile.control_enter()
    odile.see("already the first dental coverage")
    odile.type("#rank", "second")
    odile.control_enter()
    odile.see("through Ada Bell, spouse")
    odile.see("holder’s birth date")


def test_two_records_become_one(person: Callable[[str], Person], zax: Running) -> None:
    odile = person("odile")
    keep, drop = patient(zax, "Theo", "Marsh"), patient(zax, "Teo", "Marsh")
    odile.open("/duplicates")
    odile.see("same birth date")
    odile.open(f"/duplicates?with={drop}")
    odile.open(f"/merge?keep={keep}&drop={drop}")
    odile.control_enter()
    odile.see("Check the box to confirm you compared both records")
    odile.click("input[name=sure]")
    odile.control_enter()
    odile.at(f"/patients/{keep}")
    odile.see(f"also {drop}")
    odile.open(f"/patients/{drop}")
    odile.at(f"/patients/{keep}")


def test_somebody_new_may_be_on_file(person: Callable[[str], Person], zax: Running) -> None:
    desk = person("juno")
    desk.open("/book?provider=6&at=16:50")
    desk.click_words("New patient", "#slip")
    desk.type("#first", "Iriss")
    desk.type("#last", "Noll")
    desk.type("#phone", str(of(zax, "SELECT phone FROM patient WHERE last = 'Noll'")))
    desk.see("Already on file?", "#likely")
    desk.see("Iris Noll", "#likely")


def test_a_photo_and_a_card_are_kept(person: Callable[[str], Person], zax: Running, tmp_path: Path) -> None:
    desk = person("juno")
    number = patient(zax, "Iris", "Noll")
    Image.new("RGB", (800, 600), "#3b5f55").save(tmp_path / "face.jpg")
    (tmp_path / "letter.pdf").write_bytes(b"MZ not a pdf")
    desk.open(f"/patients/{number}/photo")
    desk.find("input[name=photo]").send_keys(str(tmp_path / "face.jpg"))
    desk.until(lambda: desk.find("canvas").is_displayed(), "the picture is drawn")
    desk.click_words("Rotate", "form.camera")
    desk.click_words("Zoom in", "form.camera")
    assert (
        desk.driver.execute_script(
            "return document.querySelector('[name=turns]').value +"
            " document.querySelector('[name=side]').value"
        )
        == "1900"
    )
    desk.control_enter()
    desk.at(f"/patients/{number}")
    desk.until(
        lambda: (
            desk.driver.execute_script("return document.querySelector('.photo img')?.naturalWidth") == 480
        ),
        "the portrait is shown",
    )
    desk.open(f"/patients/{number}/files")
    desk.find("input[name=file]").send_keys(str(tmp_path / "letter.pdf"))
    desk.click_words("Save file", ".importform")
    desk.see("Only PDF, JPEG, PNG and TIFF files work. What’s")
    desk.find("input[name=file]").send_keys(str(tmp_path / "face.jpg"))
    desk.click_words("Save file", ".importform")
    desk.see("face.jpg", ".filelist")
    desk.click_words("remove", ".filelist")
    desk.see("No files yet")
    desk.click_words("Put it back", "#said")
    desk.see("face.jpg", ".filelist")


def test_a_list_is_looked_at_and_taken_in(
    person: Callable[[str], Person], zax: Running, tmp_path: Path
) -> None:
    odile = person("odile")
    rows = "".join(f"Ana{n},Wharf,1/{1 + n % 28}/1990,360 555 01{n % 100:02d}\n" for n in range(60))
    (tmp_path / "old.csv").write_bytes(f"\ufeffgiven,Surname,Born,Cell\n{rows}Bad,,x,\n".encode())
    odile.open("/import")
    odile.find("input[name=file]").send_keys(str(tmp_path / "old.csv"))
    odile.click_words("Review")
    odile.see("61 rows, 4 columns")
    odile.type("select[name=column-0]", "First name")
    odile.type("select[name=column-2]", "Birth date")
    odile.control_enter()
    odile.see("Dry run done. Nothing saved yet")
    odile.see("60 would be new, 0 already on file, 1 refused")
    odile.see("line 62", "main")
    odile.control_enter()
    odile.see("Imported: 61 of 61 rows; 60 new")
    assert of(zax, "SELECT COUNT(*) FROM patient WHERE last = 'Wharf'") == 60


def test_a_plan_is_corrected_and_the_estimate_follows(person: Callable[[str], Person], zax: Running) -> None:
    odile = person("odile")
    visit = of(
        zax,
        "SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.first = 'Fern' AND p.last ="
        " 'Whitaker' ORDER BY v.id DESC LIMIT 1",
    )
    odile.open(f"/visits/{visit}/estimate")
    odile.see("70 percent of $215.00 after $25.00 deductible")
    odile.press("g", "i")
    odile.at("/plans")
    odile.click_words("Brightwater Family")
    odile.see("patients have it")
    odile.type("input[name=percent-basic]", "160", clear=True)
    odile.control_enter()
    odile.see("0 to 100.")
    odile.type("input[name=percent-basic]", "60", clear=True)
    odile.control_enter()
    odile.see("It applies to everyone who has the plan.")
    odile.open(f"/visits/{visit}/estimate")
    odile.see("60 percent of $215.00 after $25.00 deductible")


def test_a_bar_of_progress_is_as_long_as_what_is_done(person: Callable[[str], Person], zax: Running) -> None:
    """A third of the night's questions answered is a third of the bar; likewise a used up benefit."""
    desk = person("sam")
    desk.until(
        lambda: of(zax, "SELECT COUNT(*) FROM eligibility_check WHERE state <> 'asking'") >= 3,
        "some of the night's questions are answered",
    )
    with zax.working:  # so that the worker asks nothing more meanwhile
        with zax.desk.engine.begin() as connection:
            connection.execute(
                text(
                    "UPDATE eligibility_batch b SET total = 3 * (SELECT COUNT(*) FROM eligibility_check c"
                    " WHERE c.batch_id = b.id AND c.state <> 'asking')"
                )
            )
        desk.open("/eligibility")
        desk.until(
            lambda: "w-33" in (desk.find("[role=progressbar] i").get_attribute("class") or ""), "a third"
        )
        share = desk.driver.execute_script(
            "const bar = document.querySelector('[role=progressbar]');"
            "return bar.firstElementChild.offsetWidth / bar.offsetWidth"
        )
    assert 0.3 < share < 0.36
    used = desk.driver.execute_script(
        "document.body.insertAdjacentHTML('beforeend',"
        ' \'<span class="gaugebar"><i class="w-50"></i></span>\');'
        "const bar = document.body.lastElementChild; return bar.firstChild.offsetWidth / bar.offsetWidth"
    )
    assert 0.4 < used < 0.6
