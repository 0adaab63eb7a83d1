"""A report as one HTML file: pictures inside, readable by a screen reader, printable."""

from base64 import b64encode
from importlib import resources

from jinja2 import Environment, StrictUndefined
from markupsafe import Markup

from nervus.report.document import Picture, Report

_KINDS = {"svg": "image/svg+xml", "jpg": "image/jpeg", "png": "image/png"}


def to_html(report: Report) -> str:
    """The whole file; every text of the job is escaped."""
    folder = resources.files("nervus.report")
    environment = Environment(
        autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    environment.filters["kind"] = lambda block: type(block).__name__
    environment.filters["inline"] = inline
    template = environment.from_string(folder.joinpath("report.html").read_text("utf-8"))
    css = folder.joinpath("report.css").read_text("utf-8")
    return template.render(report=report, css=Markup(css))  # noqa: S704 - our own style sheet


def inline(picture: Picture) -> str:
    """A picture as an address that carries it along."""
    return f"data:{_KINDS[picture.kind]};base64,{b64encode(picture.data).decode('ascii')}"
