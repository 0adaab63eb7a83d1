"""What is typed at the pins, as readings: pins or words, the rules for ohms, and what can't be."""

import re
from dataclasses import dataclass
from typing import Final

from nervus.domain.job import Guided, Job, Reading, Source, new_id, now, of_kind
from nervus.domain.plug import SIGNALS, Face, PinRole, PlugEnd
from nervus.judge.next_pair import Proposed
from nervus.judge.plug_state import where_words
from nervus.language import say
from nervus.pins.situation import Situation
from nervus.pins.taken import BATTERY
from nervus.pins.writing import ReadingUnusable, Written, read_written
from nervus.window.jobs.typed_reading import reading

ISOLATED: Final = "battery_isolated"
_ASK_ISOLATED: Final = say(
    "Ohms are measured with the key off and the battery isolated as the maker "
    "says; write “isolated” when it is, then the reading again."
)
_KEY_ON: Final = say(
    "Ohms with the key on would be the unit's, not the line's: turn it off, write “key off”."
)
# A text with a word in it is a reading told in words; these are none of it.
_NO_WORD: Final = re.compile(
    r"(?i)\b(nothing|none|ovld|open|inf(inite)?|k?ohms?|to|continuity|beeps?|through)\b"
)
_A_WORD: Final = re.compile(r"[A-Za-z]{3,}")
# More than lines of 5 V carry; it may be a short to the battery, or a range that was misread.
_FIVE_V: Final = 5.8
_OF_FIVE: Final = (PinRole.SUPPLY, PinRole.GROUND, *SIGNALS)


@dataclass(frozen=True, slots=True)
class Entering:
    """Where and how a reading is taken.

    Attributes:
        job: that it goes into.
        plug: at which plug.
        face: as it is drawn, `None` before.
        situation: the conditions.
        proposed: black and red pin that are waited for, "" both where none is.
        between: a proposal from plug to plug, which has no pair of pins.
        insists: whether the same text was refused as more than 5 V lines carry, and comes again.
    """

    job: Job
    plug: PlugEnd
    face: Face | None
    situation: Situation
    proposed: tuple[str, str]
    between: Proposed | None = None
    insists: bool = False

    def read(self, text: str) -> list[Reading]:
        """The readings in a text, all of them or none.

        Raises:
            OutsideError: what is wrong, in a sentence.
        """
        if self.face is None or _A_WORD.search(_NO_WORD.sub(" ", text)):
            return [reading(text)]
        ohms = self.situation.key == "key off"
        labels = [p.label for p in self.face.pins]
        ends = self.proposed if self.between is None else ("-", "-")
        written = read_written(text, labels, ends, "Ω" if ohms else "V")
        if any(not w.red for w in written):
            raise ReadingUnusable(say("No pair is proposed any more: name it, such as “1-3 4.98”."))
        self._check(written)
        source = Source.TYPED if len(written) == 1 else Source.PASTED
        # A number taken where black and red were shown is as the meter showed it, and so is a table in
        # which signs occur; pairs that were named without any are compared by eye, as people do.
        as_shown = any(w.signed for w in written)
        return [
            self._between_plugs(w)
            if w.red == "-"
            else self.made(w, source, signed=as_shown or not w.named or w.black == BATTERY)
            for w in written
        ]

    def made(self, written: Written, source: Source, *, signed: bool = True) -> Reading:
        """A reading between two pins, as it is kept."""
        return Reading(
            id=new_id(),
            at=now(),
            source=source,
            where=where_words(self.face, self.plug, written.black, written.red)[:200],
            value=written.value,
            unit=written.unit,
            conditions=self.situation.words(),
            plug=self.plug,
            red=written.red,
            black=written.black,
            signed=signed,
            nothing=written.nothing,
        )

    def _between_plugs(self, written: Written) -> Reading:
        """Along a line, one probe in each plug: there are no two pins of one plug to name."""
        assert self.between is not None  # noqa: S101 - asked for with one
        value = float("inf") if written.nothing else written.value
        return Reading(
            id=new_id(),
            at=now(),
            source=Source.TYPED,
            where=say("{red} wire from plug to plug", red=self.between.red),
            value=min(value, _OPEN_OHMS),
            unit="Ω",
            conditions=say("key off, both off"),
        )

    def _check(self, written: list[Written]) -> None:
        if any(w.unit == "Ω" for w in written):
            if self.situation.key != "key off":
                raise ReadingUnusable(_KEY_ON)
            if not any(g.guide == ISOLATED for g in of_kind(self.job.entries, Guided)):
                raise ReadingUnusable(_ASK_ISOLATED)
        high = next((w for w in written if w.unit == "V" and self._too_high(w)), None)
        if high is not None and not self.insists:
            raise ReadingUnusable(
                say(
                    "{value:g} V is more than lines of 5 V carry: look at the range; Enter once "
                    "more takes it as a short to the battery.",
                    value=high.value,
                )
            )

    def _too_high(self, written: Written) -> bool:
        roles = [
            pin.role
            for label in (written.black, written.red)
            if self.face is not None and (pin := self.face.pin(label)) is not None
        ]
        return bool(roles) and all(r in _OF_FIVE for r in roles) and abs(written.value) > _FIVE_V


_OPEN_OHMS: Final = 1e9


def isolated(words: str) -> Guided:
    """That the battery is isolated as the maker says."""
    return Guided(id=new_id(), at=now(), source=Source.SEEN, guide=ISOLATED, done={"isolated": words})
