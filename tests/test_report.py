"""Reports: what stands in them, that they are sound documents, and what becomes of bad input."""

import re
from datetime import timedelta
from io import BytesIO
from itertools import pairwise
from pathlib import Path
from typing import Any, cast
from xml.etree import ElementTree as ET

import html5lib
import pytest
from msgspec.structs import replace
from PIL import Image
from pypdf import PdfReader

from jobs import Written, change, job_of, recorded
from nervus.cli import main
from nervus.domain.analysis import StretchSuspicion
from nervus.domain.entry import Source
from nervus.domain.finding import DeadSpot
from nervus.domain.job import Cost, Job, JobState, Look, Moved, Seen, new_id
from nervus.domain.suspect import SuspectId
from nervus.files.bundle import write_bundle
from nervus.files.recording_writer import write_recording
from nervus.judge.analyse import analyse
from nervus.knowledge.own_prices import OwnPrices, read_own_prices, write_own_prices
from nervus.link.reading import kept_recording
from nervus.logbook.attachments import Attachments
from nervus.report.charts import Drawn, nice_steps, over_time, over_travel, signals_way
from nervus.report.document import Audience, Heading, Picture, Report, Table
from nervus.report.html import to_html
from nervus.report.pdf import to_pdf
from nervus.report.photos import PhotoUnusable, check_photo, scaled_photo
from nervus.report.written import ReportUnwritable, make_report, write_report
from nervus.standin.demo import case_named

NASTY = '<script>alert("x")</script> & #strong[x] $1/2$ *b* č Ω “q”'


@pytest.fixture
def whole(tmp_path: Path) -> Job:
    """A job with a recording before and after a repair, a photo, costs, and a text like markup."""
    kept = Attachments(tmp_path)
    made_of = []
    for case, name in (("dead-spot", "before the repair"), ("sweep-after-renewal", "after the repair")):
        path = tmp_path / f"{case}.csv"
        write_recording(case_named(case).make(), path)
        file, digest = kept.keep(path)
        made_of.append((name, file, digest))
    picture = tmp_path / "plug.jpg"
    Image.new("RGB", (3000, 2000), "darkgreen").save(picture)
    photo, _ = kept.keep(picture)
    before = replace(recorded(*made_of[0][:2]), digest=made_of[0][2])
    look = Look(
        id=new_id(),
        at=before.at,
        source=Source.SEEN,
        item="pins",
        seen=Seen.BAD,
        note=NASTY,
        photos=(photo,),
    )
    done = change("throttle sensor renewed")
    after = replace(recorded(*made_of[1][:2]), digest=made_of[1][2])
    cost = Cost(id=new_id(), at=after.at, source=Source.TYPED, what="sensor", minutes=55.0, money=62.0)
    return job_of(before, look, done, after, cost)


def made(
    job: Job, folder: Path, audience: Audience, own: OwnPrices | None = None, words: str = ""
) -> Report:
    return make_report(
        job, lambda name: folder / name, kept_recording, audience, own or OwnPrices(), words
    )


def texts(report: Report) -> str:
    said = " ".join(p.extract_text() for p in PdfReader(BytesIO(to_pdf(report))).pages)
    return " ".join(said.split())


def test_a_customers_report_is_one_page_with_what_matters(whole: Job, tmp_path: Path) -> None:
    own = OwnPrices(name="Island depot workshop", currency="€", minute=1.0)
    report = made(whole, tmp_path, Audience.CUSTOMER, own, "Thank you.")
    reader = PdfReader(BytesIO(to_pdf(report)))
    assert len(reader.pages) == 1
    said = " ".join(reader.pages[0].extract_text().split())
    for expected in (
        "Island depot workshop", "worn place on track 1", "throttle sensor renewed",
        "117.00 €", "Thank you.", "licensed people",
    ):  # fmt: skip
        assert expected in said
    assert sum(isinstance(b, Picture) for b in report.blocks) == 1


def test_the_pdf_is_tagged_with_title_and_language_for_a_reference_reader(
    whole: Job, tmp_path: Path
) -> None:
    """ISO 14289-1 (PDF/UA-1), read by pypdf."""
    report = made(whole, tmp_path, Audience.FILE)
    reader = PdfReader(BytesIO(to_pdf(report)))
    root = cast("dict[str, Any]", reader.trailer["/Root"].get_object())
    assert root["/Lang"] == "en"
    assert root["/MarkInfo"]["/Marked"]
    assert root["/ViewerPreferences"]["/DisplayDocTitle"]
    assert reader.metadata is not None
    assert reader.metadata.title == report.title
    kinds = _kinds(root["/StructTreeRoot"])
    assert {"/H1", "/H2", "/Table", "/TH", "/Figure", "/LI"} <= set(kinds)
    assert kinds["/Figure"] == sum(isinstance(b, Picture) for b in report.blocks)


def _kinds(root: object) -> dict[str, int]:
    found: dict[str, int] = {}
    left = [root]
    while left:
        node = getattr(left.pop(), "get_object", lambda: None)()
        if isinstance(node, list):
            left += node
        elif isinstance(node, dict):
            kind = str(node.get("/S"))
            found[kind] = found.get(kind, 0) + 1
            assert kind != "/Figure" or node.get("/Alt")
            left.append(node.get("/K"))
    return found


def test_the_html_is_valid_and_carries_everything_along(whole: Job, tmp_path: Path) -> None:
    """Parsed strictly by html5lib, the reference parser: any error of the standard raises."""
    report = made(whole, tmp_path, Audience.FILE)
    text = to_html(report)
    parser = html5lib.HTMLParser(strict=True, namespaceHTMLElements=False)
    tree = parser.parse(text)
    assert tree.get("lang") == "en"
    images = tree.findall(".//img")
    assert images
    assert all(i.get("alt") and i.get("src", "").startswith("data:image/") for i in images)
    assert not tree.findall(".//script")
    assert not [e for e in tree.iter() if e.get("href")]
    levels = [int(e.tag[1]) for e in tree.iter() if e.tag in ("h1", "h2", "h3")]
    assert levels[0] == 1
    assert all(b - a <= 1 for a, b in pairwise(levels))


def test_texts_of_the_job_are_never_taken_for_markup(whole: Job, tmp_path: Path) -> None:
    report = made(whole, tmp_path, Audience.FILE, words=NASTY)
    assert "&lt;script&gt;" in to_html(report)
    said = texts(report)
    assert "#strong[x]" in said
    assert "$1/2$" in said
    assert "<script>" in said


def test_a_word_wider_than_its_column_is_broken_and_kept_whole(tmp_path: Path) -> None:
    long = change("W" * 400)
    said = texts(made(job_of(long), tmp_path, Audience.FILE))
    assert said.replace(" ", "").replace("\N{ZERO WIDTH SPACE}", "").count("W" * 400) >= 1
    page = PdfReader(BytesIO(to_pdf(made(job_of(long), tmp_path, Audience.FILE)))).pages[0]
    widest: list[float] = []
    page.extract_text(
        visitor_text=lambda text, _cm, tm, _font, _size: widest.append(tm[4] + 5 * len(text))
    )
    assert max(widest) < float(page.mediabox.width)


def test_the_file_holds_every_entry_and_what_became_of_each_finding(whole: Job, tmp_path: Path) -> None:
    report = made(whole, tmp_path, Audience.FILE)
    tables = {b.caption: b for b in report.blocks if isinstance(b, Table)}
    assert len(tables["Every entry"].rows) == len(whole.entries) + 2, "and what was found in both"
    asked = tables["Each finding of before, asked for again"]
    assert [row[1] for row in asked.rows] == ["gone"]
    assert "Before and after, recorded" in tables
    chapters = [b.text for b in report.blocks if isinstance(b, Heading) and b.level == 2]
    for chapter in (
        "As it stands",
        "Looked at",
        "Recorded",
        "Done",
        "Proof",
        "Costs",
        "The whole course",
    ):
        assert chapter in chapters


def test_a_job_that_holds_nothing_still_makes_both_reports(tmp_path: Path) -> None:
    for audience in Audience:
        said = texts(made(job_of(), tmp_path, audience))
        assert "licensed people" in said
    codes = Written().codes("P0121").job
    assert "P0121" in texts(made(codes, tmp_path, Audience.FILE))


def test_a_tentative_state_is_told_as_one(tmp_path: Path) -> None:
    done = change("plug cleaned and seated")
    moved = Moved(
        id=new_id(), at=done.at + timedelta(days=1), source=Source.TYPED, state=JobState.MENDED,
        words="the driver needs the bus", tentative=True,
    )  # fmt: skip
    said = texts(made(job_of(done, moved), tmp_path, Audience.CUSTOMER))
    assert "tentatively" in said
    assert "the driver needs the bus" in said


# -- photos -----------------------------------------------------------------------------------------


def test_photos_are_turned_upright_scaled_and_bare_of_hidden_data(tmp_path: Path) -> None:
    """Orientation 6 of Exif 2.3: a quarter turn."""
    path = tmp_path / "p.jpg"
    exif = Image.Exif()
    exif[0x0112], exif[0x8825] = 6, {1: "N", 2: (53.0, 0.0, 0.0)}
    Image.new("RGB", (4000, 2000), "white").save(path, exif=exif)
    shown = Image.open(BytesIO(scaled_photo(path)))
    assert shown.size == (685, 1370)
    assert not dict(shown.getexif())


@pytest.mark.parametrize("content", [b"no picture at all", b"\xff\xd8\xff\xe0 cut off", b""])
def test_a_photo_that_is_no_picture_is_named_and_the_report_is_made(
    whole: Job, tmp_path: Path, content: bytes
) -> None:
    path = next(p for p in tmp_path.iterdir() if p.name.endswith("-plug.jpg"))
    path.write_bytes(content)
    for look in (scaled_photo, check_photo):
        with pytest.raises(PhotoUnusable, match="picture"):
            look(path)
    report = made(whole, tmp_path, Audience.FILE)
    assert any("plug.jpg" in sentence for sentence in report.not_shown)
    assert "plug.jpg" in texts(report)


def test_a_recording_that_is_gone_is_named_and_the_report_is_made(whole: Job, tmp_path: Path) -> None:
    kept = next(p for p in tmp_path.iterdir() if p.name.endswith("-sweep-after-renewal.csv"))
    kept.write_text("time_s\nnothing\n")
    report = made(whole, tmp_path, Audience.CUSTOMER)
    assert any("after the repair" in sentence for sentence in report.not_shown)


# -- writing ----------------------------------------------------------------------------------------


def test_a_report_is_written_whole_or_not_at_all(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    report = made(job_of(), tmp_path, Audience.CUSTOMER)
    with pytest.raises(ReportUnwritable, match=r"\.pdf or an \.html"):
        write_report(report, tmp_path / "r.doc")
    to = tmp_path / "r.html"
    write_report(report, to)
    kept = to.read_bytes()

    def full(_self: Path, _data: bytes) -> int:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "write_bytes", full)
    with pytest.raises(ReportUnwritable, match="no space left"):
        write_report(report, to)
    assert to.read_bytes() == kept
    assert sorted(p.name for p in tmp_path.iterdir()) == ["r.html"]


def test_a_folder_that_is_not_there_is_told(tmp_path: Path) -> None:
    with pytest.raises(ReportUnwritable, match="no such file"):
        write_report(made(job_of(), tmp_path, Audience.CUSTOMER), tmp_path / "none" / "r.pdf")


def test_the_command_writes_a_bundles_report(
    whole: Job, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    bundle = tmp_path / "job.zip"
    write_bundle(whole, lambda name: tmp_path / name, bundle, kept_recording)
    to = tmp_path / "r.pdf"
    assert main(["report", str(bundle), "-o", str(to), "--for", "file"]) == 0
    assert capsys.readouterr().out.strip() == str(to)
    assert to.read_bytes().startswith(b"%PDF")
    assert main(["report", str(bundle), "-o", str(to)]) == 2
    assert "there already" in capsys.readouterr().err
    assert main(["report", "-o", str(to)]) == 2
    assert "one job" in capsys.readouterr().err


def test_name_and_mark_of_the_workshop_are_kept_and_shown(tmp_path: Path) -> None:
    mark = tmp_path / "mark.png"
    Image.new("RGBA", (200, 100), (0, 90, 120, 128)).save(mark)
    path = tmp_path / "workshop.toml"
    write_own_prices(OwnPrices(name='The "depot"', mark=str(mark)), path)
    own = read_own_prices(path)
    report = made(job_of(), tmp_path, Audience.CUSTOMER, own)
    assert report.mark is not None
    assert "Mark of The" in to_html(report)
    gone = made(job_of(), tmp_path, Audience.CUSTOMER, replace(own, mark=str(tmp_path / "none.png")))
    assert gone.mark is None
    assert any("mark" in sentence for sentence in gone.not_shown)


@pytest.mark.parametrize(
    ("low", "high", "steps"),
    [(0.0, 5.0, (0.0, 1.0, 2.0, 3.0, 4.0, 5.0)), (-0.4, 0.9, (-0.4, -0.2, 0.0, 0.2, 0.4, 0.6, 0.8))],
)
def test_axes_carry_round_numbers(low: float, high: float, steps: tuple[float, ...]) -> None:
    assert nice_steps(low, high, 7) == pytest.approx(steps)


# -- drawings ---------------------------------------------------------------------------------------


def drawn(case: str, word: str) -> Drawn:
    recording = case_named(case).make()
    return Drawn(word, recording, analyse(recording))


def paths(svg: bytes) -> list[list[tuple[float, float]]]:
    """The points of each curve of a drawing."""
    root = ET.fromstring(svg.decode())  # noqa: S314 - our own drawing
    found = []
    for path in root.iter("{http://www.w3.org/2000/svg}path"):
        numbers = re.findall(r"[ML](-?[\d.]+) (-?[\d.]+)", path.get("d") or "")
        if len(numbers) > 50:
            found.append([(float(x), float(y)) for x, y in numbers])
    return found


def boxes(svg: bytes, **wanted: str) -> list[tuple[float, float, float, float]]:
    """x, y, width, height of the rectangles with such attributes."""
    root = ET.fromstring(svg.decode())  # noqa: S314 - our own drawing
    return [
        tuple(float(r.get(k) or 0) for k in ("x", "y", "width", "height"))  # type: ignore[misc] # four of them
        for r in root.iter("{http://www.w3.org/2000/svg}rect")
        if all(r.get(k.replace("_", "-")) == v for k, v in wanted.items())
    ]


def test_over_travel_draws_a_straight_track_from_corner_to_corner_and_the_worn_place_where_it_is() -> (
    None
):
    """A sound track is a straight line: its middle lies half way, in the drawing's own frame."""
    sound = drawn("healthy", "after")
    svg = over_travel([sound])
    assert svg is not None
    (curve,) = paths(svg)
    (frame,) = boxes(svg, stroke="#CFC8BA")
    left, top, width, height = frame
    xs, ys = [x for x, _ in curve], [y for _, y in curve]
    assert min(xs) >= left
    assert max(xs) <= left + width
    assert min(xs) == pytest.approx(left + width * 1.0 / 102.0, abs=0.01 * width)
    assert max(xs) == pytest.approx(left + width * 101.0 / 102.0, abs=0.01 * width)
    assert top <= min(ys) < max(ys) <= top + height
    middle = [y for x, y in curve if abs(x - (left + width / 2)) < 4]
    assert sum(middle) / len(middle) == pytest.approx((min(ys) + max(ys)) / 2, abs=0.03 * height)
    assert curve[0][1] > curve[len(curve) // 36][1] - height  # closed is low, open is high
    worn = drawn("dead-spot", "before")
    both = over_travel([worn, sound])
    assert both is not None
    frames = boxes(both, stroke="#CFC8BA")
    assert len(frames) == 2
    assert frames[1][1] > frames[0][1] + frames[0][3]
    (band,) = boxes(both, fill="#B3261E")
    spot = next(f for f in worn.analysis.examination.findings if isinstance(f, DeadSpot))
    at = (band[0] - left) / width * 102.0 - 1.0
    assert at == pytest.approx(spot.travel_pct[0], abs=0.2)
    assert band[2] / width * 102.0 == pytest.approx(spot.travel_pct[1] - spot.travel_pct[0], abs=0.2)
    assert over_travel([]) is None


def test_over_time_ends_where_the_recording_ends() -> None:
    worn = drawn("loose-wire", "before")
    svg = over_time(worn)
    curves = paths(svg)
    assert len(curves) == 2
    (frame,) = boxes(svg, stroke="#CFC8BA")
    for curve in curves:
        assert curve[0][0] == pytest.approx(frame[0], abs=3)
        assert curve[-1][0] == pytest.approx(frame[0] + frame[2], abs=3)
    assert len(boxes(svg, fill="#B3261E")) == 8
    assert b'stroke-dasharray="5 3"' in svg


def test_the_signals_way_swells_with_the_suspicion_and_says_its_number() -> None:
    def rows(*shares: float) -> list[StretchSuspicion]:
        names = ("sensor_plug", "harness", "unit")
        return [
            StretchSuspicion(n, "", SuspectId.WIRING, p, "x")
            for n, p in zip(names, shares, strict=False)
        ]

    svg = signals_way(rows(0.7, 0.2, 0.04), electronic=False)
    swollen = boxes(svg, fill="url(#hatch)")
    assert len(swollen) == 2
    assert swollen[0][3] == pytest.approx(2 * (9 + 20 * 0.7))
    assert swollen[1][3] == pytest.approx(2 * (9 + 20 * 0.2))
    assert swollen[0][0] < swollen[1][0]
    text = svg.decode()
    assert "7 in 10" in text
    assert "2 in 10" in text
    assert "pedal" not in text
    assert "pedal" in signals_way([], electronic=True).decode()
    assert len(boxes(signals_way(rows(0.05), electronic=False), fill="url(#hatch)")) == 1
