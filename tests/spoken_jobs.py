"""Every job of the demo judged in the language of the environment; says the figures as JSON.

python tests/spoken_jobs.py LOGBOOK        which is made if it is not there
"""

import json
import sys
from pathlib import Path

from nervus.judge.of_job import judge_job
from nervus.logbook.book import Logbook
from nervus.standin.depot import fill_all


def main(path: Path) -> None:
    """Judge and print."""
    if not path.exists():
        fill_all(path)
    book = Logbook(path)
    told = {}
    for row in book.jobs():
        judged = judge_job(book.job(row.id))
        told[row.id] = {
            "outcome": judged.outcome.name,
            "suspects": [(s.id.name, round(s.probability, 9)) for s in judged.standing.suspects],
            "faults": [(f.id, round(f.probability, 9)) for f in judged.faults],
            "tests": [(t.id, t.minutes, round(t.saving, 6)) for t in judged.tests],
            "cured": judged.cured,
            "headline": judged.standing.headline,
        }
    book.close()
    sys.stdout.write(json.dumps(told))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
