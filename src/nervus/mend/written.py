"""What is typed while mending: what came off, what it cost, an old part beside a new one."""

import re

from nervus.domain.entry import Source
from nervus.domain.errors import OutsideError
from nervus.domain.job import Compared, Cost, TakenOff, new_id, now
from nervus.language import say

_MINUTES = re.compile(r"(?P<n>-?\d+(?:[.,]\d+)?)\s*(?:min|minutes|minute)\b", re.IGNORECASE)
_HOURS = re.compile(r"(?P<n>-?\d+(?:[.,]\d+)?)\s*(?:h|hours?)\b", re.IGNORECASE)
_MONEY = re.compile(r"(?<![\w.,-])(?P<n>-?\d+(?:[.,]\d{1,2})?)(?![\w]|[.,]\d)")
_SIDES = re.compile(r"^old\s+(?P<old>.+?)[\s,;]+new\s+(?P<new>.+)$", re.IGNORECASE)
_READING = re.compile(r"(?P<value>[+-]?\d*[.,]?\d+\s*(?:m?V|k?Ω|k?ohm|Ohm|%|°))\s*$")


class NotUnderstood(OutsideError):
    """What was typed is no such thing; the sentence says what would be accepted."""


def read_taken_off(text: str) -> tuple[TakenOff, ...]:
    """What came off, several between commas.

    Raises:
        NotUnderstood: nothing stands there.
    """
    names = [part.strip() for part in text.split(",") if part.strip()]
    if not names:
        raise NotUnderstood(
            say("Nothing stands there; accepted is such as “breather hose, coolant hose”.")
        )
    return tuple(TakenOff(id=new_id(), at=now(), source=Source.SEEN, what=name[:200]) for name in names)


def read_cost(text: str) -> Cost:
    """What was spent: words, minutes or hours, money.

    Raises:
        NotUnderstood: no amount stands there, or one below 0.
    """
    accepted = say("accepted is such as “new sensor 75.50”, “work 40 min” or “gasket 12, 1.5 h”")
    minutes = sum(_number(m["n"]) for m in _MINUTES.finditer(text))
    minutes += sum(60.0 * _number(m["n"]) for m in _HOURS.finditer(text))
    rest = _HOURS.sub(" ", _MINUTES.sub(" ", text))
    amounts = [_number(m["n"]) for m in _MONEY.finditer(rest)]
    if "-" in re.sub(r"(?<=\w)-(?=\w)", "", text) and (minutes < 0 or any(a < 0 for a in amounts)):
        raise NotUnderstood(
            say(
                "“{strip}” holds a negative amount; {accepted}.",
                strip=text.strip()[:40],
                accepted=accepted,
            )
        )
    if not amounts and not minutes:
        raise NotUnderstood(
            say("“{strip}” holds no amount; {accepted}.", strip=text.strip()[:40], accepted=accepted)
        )
    words = _MONEY.sub(" ", rest).replace(",", " ").split()
    what = " ".join(word for word in words if word != "and") or ("work" if minutes else "part")
    return Cost(
        id=new_id(), at=now(), source=Source.TYPED, what=what[:200], minutes=minutes, money=sum(amounts)
    )


def read_compared(text: str) -> Compared:
    """An old part beside a new one: `old NUMBER READING, new NUMBER READING`.

    Raises:
        NotUnderstood: it is not written so.
    """
    sides = _SIDES.match(text.strip())
    if sides is None:
        raise NotUnderstood(
            say(
                "“{strip}” is no pair; accepted: “old A 114 0.62 V, new A 114 0.50 V”.",
                strip=text.strip()[:40],
            )
        )
    (old, was), (new, reads) = (_part(sides[side]) for side in ("old", "new"))
    return Compared(
        id=new_id(), at=now(), source=Source.SEEN, old_number=old, new_number=new, old_reading=was,
        new_reading=reads,
    )  # fmt: skip


def _part(text: str) -> tuple[str, str]:
    found = _READING.search(text)
    if found is None:
        return text.strip(" ,;")[:200], ""
    return text[: found.start()].strip(" ,;")[:200], found["value"].strip()[:200]


def _number(text: str) -> float:
    return float(text.replace(",", "."))
