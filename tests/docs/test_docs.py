"""The docs say what is so: sign-ins, ports, commands, pictures, licenses, formats, and what the tree may not
hold.
"""

import importlib
import re
import tomllib
from pathlib import Path

from tests.x12_samples import acknowledgement, remittance
from zax.core.x12.describe import describe
from zax.demo.world import PASSWORD, USERS
from zax.settings import Settings
from zax.web.shell.keys import KEYS

ROOT = Path(__file__).parents[2]
DOCS = [
    ROOT / "README.md",
    ROOT / "CONTRIBUTING.md",
    ROOT / "CHANGELOG.md",
    *(ROOT / "docs").glob("*.md"),
    *(ROOT / "src").rglob("README.md"),
]
README = (ROOT / "README.md").read_text()


def test_the_readme_has_every_sign_in_and_the_password() -> None:
    assert f"`{PASSWORD}`" in README
    assert all(f"`{sign_in}`" in README for sign_in, *_ in USERS)


def test_the_readme_has_the_ports_that_are_used(monkeypatch) -> None:  # type: ignore[no-untyped-def]
    for name in ("ZAX_PORT", "ZAX_DB_PORT", "ZAX_STANDIN_PORT", "ZAX_SMTP_PORT", "ZAX_POP_PORT"):
        monkeypatch.delenv(name, raising=False)
    settings = Settings()
    for name, port in (
        ("ZAX_PORT", settings.port),
        ("ZAX_DB_PORT", settings.db_port),
        ("ZAX_STANDIN_PORT", settings.standin_port),
        ("ZAX_SMTP_PORT", settings.smtp_port),
        ("ZAX_POP_PORT", settings.pop_port),
    ):
        assert re.search(rf"`{name}`\s+\({port}\)", README), name


def test_every_command_named_exists() -> None:
    targets = set(re.findall(r"^([a-z-]+):", (ROOT / "Makefile").read_text(), re.MULTILINE))
    named = {name for path in DOCS for name in re.findall(r"make ([a-z-]+)", path.read_text())}
    assert named <= targets


def test_every_picture_and_link_is_there_and_every_picture_is_shown() -> None:
    for path in DOCS:
        for target in re.findall(r"\]\(([^)#]+)\)", path.read_text()):
            assert (path.parent / target).exists(), f"{path.name}: {target}"
    pictures = {picture.name for picture in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert 8 <= len(pictures) < 20
    assert all(name in README for name in pictures)


def test_every_module_named_is_there() -> None:
    for path in DOCS:
        for name in re.findall(r"`(\w+/[\w/]+\.(?:py|js|css|html))`", path.read_text()):
            home = ROOT if name.startswith(("tests/", "scripts/")) else ROOT / "src" / "zax"
            assert (home / name).exists(), f"{path.name}: {name}"


def test_every_word_of_the_glossary_has_its_place() -> None:
    rows = re.findall(
        r"^\| ([^|]+) \| [^|]+ \| `([\w/]+)\.py`(?: `(\w+)`)? \|$",
        (ROOT / "docs" / "glossary.md").read_text(),
        re.MULTILINE,
    )
    assert len(rows) > 50
    for word, module, name in rows:
        place = importlib.import_module(f"zax.{module.replace('/', '.')}")
        assert not name or hasattr(place, name), word


def test_every_row_of_the_glossary_is_read_by_the_test_above() -> None:
    lines = (ROOT / "docs" / "glossary.md").read_text().splitlines()
    words = [line for line in lines if line.startswith("| ") and not line.startswith("| word ")]
    assert all(re.search(r"`[\w/]+\.py`(?: `\w+`)? \|$", line) for line in words)


def test_every_key_that_the_readme_names_is_on_the_map() -> None:
    caps = {key.cap for key in KEYS} | {"↵", "Ctrl ↵", *"23456789"}
    named = set(re.findall(r"`(.|Ctrl ↵)`", README))
    assert len(named) > 15 and named - caps == set()


def test_what_is_vendored_is_listed_with_its_licence() -> None:
    listed = (ROOT / "THIRD-PARTY.md").read_text().lower()
    package = tomllib.loads('d = """' + (ROOT / "package.json").read_text().replace("\\", "") + '"""')["d"]
    for version in re.findall(r'": "(\d+\.\d+\.\d+)"', package):
        assert version in listed
    assert len(list((ROOT / "licenses").glob("*.txt"))) == 5
    assert [name for name in wished_for() if name not in listed] == []


def wished_for() -> list[str]:
    """The names of everything that pyproject asks for."""
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())
    groups = [project["project"]["dependencies"], *project["dependency-groups"].values()]
    return [re.split("[>=]", line)[0] for group in groups for line in group]


def test_the_lock_pins_every_wish_with_its_hash_and_no_floor_lies_above_it() -> None:
    lock = (ROOT / "requirements.lock").read_text()
    pinned = dict(re.findall(r"^([\w.-]+)==(\S+) .*\\$", lock, re.MULTILINE))
    assert [name for name in wished_for() if name not in pinned] == []
    project = (ROOT / "pyproject.toml").read_text()
    floors = dict(re.findall(r'^    "([\w.-]+)>=([^"]+)",$', project, re.MULTILINE))
    assert floors and {name: floor for name, floor in floors.items() if pinned[name] != floor} == {}
    assert lock.count("--hash=sha256:") > 200


def test_formats_names_every_field_that_the_command_prints() -> None:
    formats = (ROOT / "docs" / "formats.md").read_text()

    def fields(value: object) -> set[str]:
        if isinstance(value, dict):
            return set(value) | {name for inner in value.values() for name in fields(inner)}
        if isinstance(value, list):
            return {name for inner in value for name in fields(inner)}
        return set()

    printed = fields(describe(remittance())) | fields(describe(acknowledgement("1", "R")))
    assert [name for name in printed if f'"{name}"' not in formats] == []


def test_the_tree_is_free_of_leftovers() -> None:
    marks = re.compile(r"\b(TODO|FIXME|XXX|NotImplementedError)\b")
    for path in (ROOT / "src").rglob("*.py"):
        assert not marks.search(path.read_text()), path


def test_only_the_clock_reads_the_time() -> None:
    reads = re.compile(r"datetime\.(now|utcnow|today)\(|date\.today\(|time\.time\(")
    inside = [
        path
        for part in ("core", "store", "desk", "web", "outside")
        for path in (ROOT / "src" / "zax" / part).rglob("*.py")
    ]
    assert [path.name for path in inside if reads.search(path.read_text())] == []


def test_the_page_of_claim_checks_is_made_from_the_checks() -> None:
    from scripts.claim_checks import DOC, written

    assert DOC.read_text(encoding="utf-8") == written(), "run scripts/claim_checks.py"
