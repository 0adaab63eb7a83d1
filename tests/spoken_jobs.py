"""Every job of the demo judged and reported in the language of the environment; says it as JSON.

    python tests/spoken_jobs.py LOGBOOK        which is made if it is not there

Figures, and what was never handed to be spoken.
"""

import json
import re
import sys
from collections.abc import Iterator
from html import unescape
from pathlib import Path

from nervus.domain.job import Job, Recorded, of_kind
from nervus.domain.judgement import JobJudgement
from nervus.files.answer import plain_report
from nervus.files.judgement_answer import judgement_report
from nervus.files.recording_csv import read_recording
from nervus.judge.analyse import analyse
from nervus.judge.of_job import judge_job
from nervus.link.reading import kept_recording
from nervus.logbook.book import Logbook
from nervus.report.document import Audience
from nervus.report.html import to_html
from nervus.report.written import make_report
from nervus.standin.depot import fill_all
from spoken import left_over, typed

SAMPLES = Path(__file__).parent / "data" / "samples"


def figures_of(judged: JobJudgement) -> dict[str, object]:
    """What no language may change, and the headline, which it does."""
    return {
        "outcome": judged.outcome.name,
        "suspects": [(s.id.name, round(s.probability, 9)) for s in judged.standing.suspects],
        "faults": [(f.id, round(f.probability, 9)) for f in judged.faults],
        "tests": [(t.id, t.minutes, round(t.saving, 6)) for t in judged.tests],
        "cured": judged.cured,
        "headline": judged.standing.headline,
    }


def told(book: Logbook, job: Job, judged: JobJudgement) -> Iterator[tuple[str, str]]:
    """Every line that people read of a job outside the window."""
    for line in judgement_report(job, judged).splitlines():
        yield "judge", line
    for audience in Audience:
        report = make_report(job, book.attachments.path, kept_recording, audience)
        text = re.sub(r"(?s)<(style|svg).*?</\1>", "", to_html(report))
        for line in re.split(r"<[^>]*>|\n", text):
            yield f"report for {audience.name.lower()}", unescape(line)


def main(path: Path) -> None:
    """Judge, report and print."""
    if not path.exists():
        fill_all(path)
    book = Logbook(path)
    judgements, unspoken = {}, []
    for row in book.jobs():
        job = book.job(row.id)
        judged = judge_job(job)
        judgements[row.id] = figures_of(judged)
        kept = [book.attachments.path(r.file) for r in of_kind(job.entries, Recorded)]
        marks = [m.text for file in kept for m in kept_recording(file).marks]
        unspoken += left_over(told(book, job, judged), [*typed(job), *marks])
    book.close()
    for sample in sorted(SAMPLES.glob("*.csv")):
        recording = read_recording(sample)
        known = [sample.name, *(m.text for m in recording.marks)]
        answer = plain_report(sample.name, analyse(recording))
        unspoken += left_over((("analyse", line) for line in answer.splitlines()), known)
    sys.stdout.write(json.dumps({"judgements": judgements, "unspoken": sorted(set(unspoken))}))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
