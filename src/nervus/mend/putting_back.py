"""What came off goes back on: the list, with the order turned round, and what it holds up."""

import re

from nervus.domain.job import Guided, Job, TakenOff, of_kind
from nervus.judge.entry_words import off_told
from nervus.language import say

# What is checked when it is on again. Source: common practice, no published source.
_CHECKS = (
    ("coolant", say("topped up, bled, cap on; look for drips when warm")),
    ("cable", say("play at the closed stop; it reaches its stop wide open")),
    ("vacuum", say("seated at both ends, not kinked")),
    ("breather", say("seated at both ends, not kinked")),
    (say("air duct"), say("clamps tight; nothing left in it")),
    ("dipstick", say("to its stop: else it draws air")),
    ("battery", say("negative last; clock and windows as the maker says")),
    ("cloth", say("nothing is left in the intake")),
    ("wedge", say("nothing is left in the bore")),
    ("mat", say("free of the pedal")),
    ("plug", say("pushed on until it clicks, pulled at")),
)


def off_now(job: Job) -> tuple[TakenOff, ...]:
    """What is still off and not waived: last off first, as it goes back on."""
    return tuple(reversed([t for t in of_kind(job.entries, TakenOff) if not t.is_settled]))


def check_of(what: str) -> str:
    """What to look at when it is on again; "" where nothing more is to be said."""
    said = what.casefold()
    return next((check for word, check in _CHECKS if re.search(rf"\b{word}", said)), "")


def why_not_watching(job: Job) -> str:
    """Why the job can't be watched yet, as a sentence; "" where nothing is off."""
    off = off_now(job)
    if not off:
        return ""
    names = ", ".join(dict.fromkeys(off_told(t) for t in off))
    return say(
        "Still off: {names}. Tick each under Mend as back on, or say in words why it "
        "stays off; a vehicle is watched as it is driven.",
        names=names,
    )


def already_off(job: Job, done: Guided) -> set[str]:
    """What a procedure took off in this job already, so that nothing is listed twice."""
    return {t.what for t in of_kind(job.entries, TakenOff) if t.guide == done.guide and not t.is_settled}
