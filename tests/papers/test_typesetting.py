"""Templates: a site's own are tried before they are used, and cannot do more than draw."""

from pathlib import Path

import pytest
from PIL import Image

from loricate.core.errors import DocumentError
from loricate.papers import typesetting
from loricate.papers.look import Look
from loricate.papers.lot import draw_lot
from loricate.papers.samples import sample_lot, try_look
from loricate.papers.standing import COUNTS
from loricate.papers.typesetting import TemplateFault, shipped
from loricate.service.paper_look import read_look, tried_look
from loricate.service.site_file import PapersPlan, SitePlan
from tests.papers.reading import pictures_of

OWN = "papers"


def plan(folder: Path, **templates: str) -> PapersPlan:
    """A plan with templates of the site's own in a folder beside the site file."""
    (folder / OWN).mkdir(exist_ok=True)
    for name, text in templates.items():
        (folder / OWN / f"{name}.typ").write_text(text, encoding="utf-8")
    return PapersPlan(templates=OWN)


def changed(name: str, text: str, by: str) -> str:
    """A template that ships, changed."""
    source = shipped()[f"{name}.typ"]
    assert text in source
    return source.replace(text, by, 1)


def test_what_ships_draws_every_paper() -> None:
    for page in ("A4", "Letter"):
        try_look(Look(page=page))


def test_a_sites_own_template_is_used(tmp_path: Path) -> None:
    own = changed("certificate", "== #data.words.readings", "== Everything that was measured")
    tried = tried_look(plan(tmp_path, certificate=own), tmp_path)
    assert tried.problems == () and "Everything" in tried.look.templates["certificate.typ"]


@pytest.mark.parametrize(
    ("text", "place", "reason"),
    [
        ("#let x = (1,\n", "papers/certificate.typ, line 1, column 10", "unclosed delimiter"),
        ("\n\n  #reding()", "papers/certificate.typ, line 3, column 4", "unknown variable"),
        ('#import "@preview/a:1.0.0": b', "line 1, column 9", "packages cannot be had"),
        ('#read("/etc/passwd")', "line 1, column 7", "file not found"),
        ('#read("../LICENSE.txt")', "line 1, column 7", ""),
        ("#while true {}", "line 1, column 8", "always true"),
        ('#panic("no")', "line 1, column 2", "panicked"),
    ],
)
def test_a_template_with_a_mistake_is_refused_with_its_place_and_what_ships_is_used(
    tmp_path: Path, text: str, place: str, reason: str
) -> None:
    tried = tried_look(plan(tmp_path, certificate=text), tmp_path)
    (problem,) = tried.problems
    assert place in problem and reason in problem, problem
    assert problem.endswith("Papers are drawn with the template that ships.")
    assert tried.look.templates == {}
    try_look(tried.look)


def test_one_faulty_template_leaves_the_others(tmp_path: Path) -> None:
    lot = changed("lot", "== #data.words.units", "== The units")
    tried = tried_look(plan(tmp_path, certificate="#nothing", lot=lot), tmp_path)
    assert len(tried.problems) == 1 and set(tried.look.templates) == {"lot.typ"}


@pytest.mark.parametrize("kind", ["PNG", "JPEG"])
def test_a_logo_in_pixels_is_drawn(kind: str, tmp_path: Path) -> None:
    name = f"logo.{'png' if kind == 'PNG' else 'jpg'}"
    Image.new("RGB", (60, 30), "teal").save(tmp_path / name, kind)
    tried = tried_look(PapersPlan(logo=name), tmp_path)
    assert tried.problems == () and tried.look.logo
    assert pictures_of(draw_lot(sample_lot(), COUNTS, tried.look), tmp_path) == 1


def test_an_empty_file_is_no_logo(tmp_path: Path) -> None:
    (tmp_path / "logo.png").touch()
    with pytest.raises(DocumentError, match=r"papers\.logo: names .*, which is empty"):
        tried_look(PapersPlan(logo="logo.png"), tmp_path)


@pytest.mark.parametrize("data", [b"\x89PNG\r\n\x1a\n cut off", b"<svg/>"])
def test_a_logo_in_pixels_that_is_none_is_left_out(data: bytes, tmp_path: Path) -> None:
    (tmp_path / "logo.png").write_bytes(data)
    tried = tried_look(PapersPlan(logo="logo.png"), tmp_path)
    assert "logo.png cannot be drawn" in tried.problems[0] and tried.look.logo == b""


def test_a_logo_that_is_none_is_left_out_and_told(tmp_path: Path) -> None:
    (tmp_path / "logo.svg").write_text("no drawing", encoding="utf-8")
    tried = tried_look(PapersPlan(logo="logo.svg"), tmp_path)
    assert len(tried.problems) == 1 and "logo.svg cannot be drawn" in tried.problems[0]
    assert tried.look.logo == b""


@pytest.mark.parametrize(
    ("given", "says"),
    [
        ({"zone": "Europe/Nowhere"}, "no time zone"),
        ({"zone": "../../etc/passwd"}, "no time zone"),
        ({"page": "A3"}, "A4"),
        ({"texts": {"titel": "x"}}, "there are"),
        ({"colours": {"good": "green"}}, "pattern"),
        ({"colours": {"nice": "#112233"}}, "there are"),
        ({"logo": "logo.gif"}, "no picture"),
    ],
)
def test_a_faulty_choice_names_its_key(given: dict[str, object], says: str) -> None:
    with pytest.raises(ValueError, match=says):
        SitePlan.model_validate({"papers": given})


@pytest.mark.parametrize("given", [{"logo": "gone.svg"}, {"templates": "nowhere"}])
def test_files_that_are_not_there_stop_the_start(given: dict[str, str], tmp_path: Path) -> None:
    with pytest.raises(DocumentError, match=r"papers\."):
        read_look(PapersPlan.model_validate(given), tmp_path)


def test_a_defect_of_the_typesetter_is_a_fault_like_others(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """It raises what no ``except Exception`` catches, which would end the worker."""
    panic = type(typesetting.PANIC, (BaseException,), {})

    def break_down(*given: object, **named: object) -> bytes:
        raise panic("index out of range")

    monkeypatch.setattr("typst.compile", break_down)
    with pytest.raises(TemplateFault, match="broke down"):
        try_look(Look())


def test_a_look_comes_back_from_what_a_paper_carries() -> None:
    look = Look("Letter", "Europe/Vienna", b"x", "svg", {"good": "#000000"}, {"above": "y"}, ("z",))
    assert Look.read(look.told()) == look
