"""Making a report of a job and writing it into a file, whole or not at all."""

from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from nervus.domain.channel import Recording
from nervus.domain.errors import OutsideError
from nervus.domain.job import Job, Recorded
from nervus.judge.analyse import analyse
from nervus.judge.profiles import chosen_profile
from nervus.knowledge.own_prices import AS_SHIPPED, OwnPrices
from nervus.language import say
from nervus.report.charts import Drawn
from nervus.report.document import Audience, Picture, Report
from nervus.report.html import to_html
from nervus.report.of_job import Sources, report_of
from nervus.report.pdf import to_pdf
from nervus.report.photos import scaled_photo

HTML, PDF = (".html", ".htm"), (".pdf",)
# A mark is drawn 14 mm tall.
_MARK_POINTS = 600


class ReportUnwritable(OutsideError):
    """A report that can't be written there, or so."""


def make_report(
    job: Job,
    path_of: Callable[[str], Path],
    read: Callable[[Path], Recording],
    audience: Audience,
    own: OwnPrices = AS_SHIPPED,
    words: str = "",
) -> Report:
    """The report of a job whose files lie where `path_of` says.

    Args:
        job: what it is about.
        path_of: where a kept file lies.
        read: reads a kept recording.
        audience: whom it is for.
        own: the workshop's name, mark, prices.
        words: the workshop's own.
    """

    def drawn(recorded: Recorded, word: str) -> Drawn:
        recording = read(path_of(recorded.file))
        return Drawn(word, recording, analyse(recording, chosen_profile(job.vehicle.profile)))

    def photo(name: str) -> bytes:
        return scaled_photo(path_of(name))

    mark, remark = _mark(own)
    sources = Sources(drawn, photo, datetime.now(UTC), mark)
    report = report_of(job, sources, audience, own, words)
    return report if not remark else _with_remark(report, remark)


def write_report(report: Report, to: Path) -> None:
    """Write a report as the file's name says, over what is there.

    Raises:
        ReportUnwritable: the name ends in neither .pdf nor .html, or the disk takes nothing.
    """
    suffix = to.suffix.lower()
    if suffix not in HTML + PDF:
        raise ReportUnwritable(
            say("{name}: a report is a .pdf or an .html file; name it so.", name=to.name)
        )
    data = to_pdf(report) if suffix in PDF else to_html(report).encode("utf-8")
    part = to.with_name(f"{to.name}.part")
    try:
        part.write_bytes(data)
        part.replace(to)
    except OSError as wrong:
        why = (wrong.strerror or say("it can't be written")).lower()
        raise ReportUnwritable(
            say("{to}: the report can't be written there ({why}); nothing is left half.", to=to, why=why)
        ) from wrong
    finally:
        _forget(part)


def _forget(part: Path) -> None:
    try:
        part.unlink(missing_ok=True)
    except OSError:
        # Where it could not be written it can't be there; the reason was told already.
        return


def _mark(own: OwnPrices) -> tuple[Picture | None, str]:
    if not own.mark:
        return None, ""
    try:
        data = scaled_photo(Path(own.mark), _MARK_POINTS)
    except OutsideError as wrong:
        return None, say("The workshop's mark is not shown: {wrong}", wrong=wrong)
    return Picture(data, "jpg", say("Mark of {value}", value=own.name or say("the workshop")), ""), ""


def _with_remark(report: Report, remark: str) -> Report:
    from dataclasses import replace  # noqa: PLC0415 - beside its one use

    return replace(report, not_shown=(*report.not_shown, remark))
