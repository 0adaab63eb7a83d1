"""A set of trouble codes read as one story: what is the cause, what follows from it, what they share."""

from collections.abc import Iterable
from dataclasses import dataclass

from nervus.codes.notation import Code
from nervus.knowledge import KnownCode, code_evidence, known_codes
from nervus.language import say


@dataclass(frozen=True, slots=True)
class Story:
    """What a set of codes tells.

    Attributes:
        causes: codes that nothing else in the set explains.
        consequences: the others, each with the codes of the set that can have brought it about.
        unknown: codes that are not known here; a maker's own is never guessed at.
        text: the same in sentences.
        shared: what several causes have in common, "" where nothing.
        stretches: where on the signal's way the causes point, the likeliest first.
    """

    causes: tuple[Code, ...]
    consequences: dict[Code, tuple[Code, ...]]
    unknown: tuple[Code, ...]
    text: str
    shared: str = ""
    stretches: tuple[str, ...] = ()


def story_of(codes: Iterable[Code]) -> Story:
    """The story of a set of codes, failure types left aside."""
    wanted = sorted({code.base for code in codes})
    known = {code: row for code, row in known_codes().items() if code in wanted}
    consequences = {}
    for code, row in known.items():
        brought = tuple(other for other, its in known.items() if other != code and _brings(its, row))
        if brought:
            consequences[code] = brought
    # Two that could each explain the other explain nothing: both stay causes.
    for code in list(consequences):
        others = consequences[code]
        if all(other in consequences and code in consequences[other] for other in others):
            del consequences[code]
    causes = tuple(code for code in known if code not in consequences)
    unknown = tuple(code for code in wanted if code not in known)
    shared = _shared([known[code] for code in causes])
    text = _text(known, causes, consequences, unknown)
    return Story(causes, consequences, unknown, text, shared, _stretches(causes))


def _stretches(causes: tuple[Code, ...]) -> tuple[str, ...]:
    named = {str(code) for code in causes}
    telling = [r for r in code_evidence().evidence if len(named & set(r.codes)) >= r.least]
    # Of one cause the more particular row speaks: all tracks together, not one of them.
    rows = [r for r in telling if r.least == max(o.least for o in telling if o.cause == r.cause)]
    ordered = [row.stretches[n : n + 1] for n in range(3) for row in rows]
    return tuple(dict.fromkeys(stretch for found in ordered for stretch in found))


@dataclass(frozen=True, slots=True)
class Difference:
    """Two sets of codes held against each other, failure types left aside."""

    gone: tuple[Code, ...]
    stayed: tuple[Code, ...]
    new: tuple[Code, ...]


def difference(before: Iterable[Code], after: Iterable[Code]) -> Difference:
    """What a clearing or a repair did to a set of codes."""
    was, is_now = {c.base for c in before}, {c.base for c in after}
    return Difference(
        tuple(sorted(was - is_now)), tuple(sorted(was & is_now)), tuple(sorted(is_now - was))
    )


def _brings(cause: KnownCode, effect: KnownCode) -> bool:
    if cause.group in effect.follows:
        return True
    return cause.line != "" and f"{cause.group} range" in effect.follows


def _text(
    known: dict[Code, KnownCode],
    causes: tuple[Code, ...],
    consequences: dict[Code, tuple[Code, ...]],
    unknown: tuple[Code, ...],
) -> str:
    if not known and not unknown:
        return say("There is no code to read.")
    told = []
    if causes:
        listed = "; ".join(f"{code} ({known[code].says})" for code in causes)
        told.append(say("First of all: {listed}.", listed=listed))
    shared = _shared([known[code] for code in causes])
    if shared:
        told.append(shared)
    if consequences:
        listed = "; ".join(f"{code} ({known[code].says})" for code in sorted(consequences))
        told.append(say("That follows from it: {listed}.", listed=listed))
    if unknown:
        own = any(code.is_makers_own for code in unknown)
        what = say("the maker's own, or not known here") if own else say("not known here")
        told.append(say("{join}: {what}; not guessed at.", join=", ".join(map(str, unknown)), what=what))
    return " ".join(told)


def _shared(causes: list[KnownCode]) -> str:
    """What several causes have in common in the sensor's circuit."""
    lines = {row.line for row in causes if row.group == "tracks" and row.line}
    if len(lines) < 2:
        return ""
    low = all(row.level == "low" for row in causes if row.group == "tracks")
    high = all(row.level == "high" for row in causes if row.group == "tracks")
    if low:
        return say(
            "Both tracks low together: look at what they share, the supply, before either signal."
        )
    if high:
        return say(
            "Both tracks high together: look at what they share, the ground, before either signal."
        )
    return say("Both tracks are concerned: look at what they share, plug, supply and ground, first.")
