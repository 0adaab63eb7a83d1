"""A report as a PDF: tagged, with title and language, its text selectable (PDF/UA-1)."""

import json
import re
import tempfile
from importlib import resources
from pathlib import Path
from typing import Final

from nervus.report.document import (
    Bars,
    Block,
    Heading,
    Items,
    NewPage,
    Paragraph,
    Picture,
    Report,
    Table,
)

_PAGE = "report.typ"
# Longer words than these are broken, into pieces of so many letters.
_LONG_WORD, _PIECE = re.compile(r"\S{28,}"), 14
_NAMES = ("file", "mark", "kind", "language")
# The file is laid out by a program of its own that knows this standard: ISO 14289-1.
_STANDARD: Final = "ua-1"


def to_pdf(report: Report) -> bytes:
    """The whole file. Nothing is fetched; the texts of the job are values and no markup."""
    import typst  # noqa: PLC0415 - large, and seldom wanted: start-up

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        page = folder / _PAGE
        page.write_bytes(resources.files("nervus.report").joinpath(_PAGE).read_bytes())
        fonts = folder / "fonts"
        fonts.mkdir()
        for font in resources.files("nervus.fonts").iterdir():
            if font.name.endswith(".otf"):
                (fonts / font.name).write_bytes(font.read_bytes())
        (folder / "report.json").write_text(
            json.dumps(_breakable(_values(report, folder))), encoding="utf-8"
        )
        made = typst.compile(
            str(page),
            root=str(folder),
            font_paths=[str(fonts)],
            ignore_system_fonts=True,
            format="pdf",
            pdf_standards=_STANDARD,
        )
    assert isinstance(made, bytes)  # noqa: S101 - one file, as no folder was named
    return made


def _breakable(value: object) -> object:
    """The same values, with places where words that are wider than a column may be broken."""
    if isinstance(value, str):
        return _LONG_WORD.sub(lambda word: "\N{ZERO WIDTH SPACE}".join(_pieces(word[0])), value)
    if isinstance(value, dict):
        # A file's name stays as it is.
        return {k: v if k in _NAMES else _breakable(v) for k, v in value.items()}
    return [_breakable(v) for v in value] if isinstance(value, list | tuple) else value


def _pieces(word: str) -> list[str]:
    return [word[at : at + _PIECE] for at in range(0, len(word), _PIECE)]


def _values(report: Report, folder: Path) -> dict[str, object]:
    mark = _file(report.mark, folder, "mark") if report.mark is not None else None
    return {
        "title": report.title,
        "author": report.workshop or "Nervus",
        "language": report.language,
        "workshop": report.workshop,
        "mark": mark,
        "foot": report.foot,
        "blocks": [_block(b, folder, n) for n, b in enumerate(report.blocks)],
    }


def _block(block: Block, folder: Path, number: int) -> dict[str, object]:  # noqa: PLR0911 - one for each kind
    match block:
        case Heading():
            return {"kind": "heading", "text": block.text, "level": block.level}
        case Paragraph():
            return {"kind": str(block.tone), "text": block.text}
        case Items():
            return {"kind": "items", "rows": block.rows}
        case Table():
            return {
                "kind": "table",
                "caption": block.caption,
                "head": block.head,
                "rows": block.rows,
                "widths": block.widths,
                "right": [n in block.numbers for n in range(len(block.head))],
            }
        case Bars():
            rows = [{"name": r.name, "share": r.share, "says": r.says} for r in block.rows]
            return {"kind": "bars", "rows": rows}
        case Picture():
            return {
                "kind": "picture",
                "file": _file(block, folder, f"picture-{number}"),
                "alt": block.alt,
                "caption": block.caption,
                "share": block.share,
            }
        case NewPage():
            return {"kind": "gap"}


def _file(picture: Picture, folder: Path, stem: str) -> str:
    name = f"{stem}.{picture.kind}"
    (folder / name).write_bytes(picture.data)
    return name
