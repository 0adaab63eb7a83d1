"""Mangled answers of a meter and of a text adapter: does a false value come of any, does anything hang?

Answers are sound ones of which bytes were lost, doubled, put in, cut off or followed by others, one
kind for each answer, any number of times. A value is false if it is taken and is not the one that was
meant. (A digit that became another digit can't be told by anybody where no checksum comes along, and is
not among the kinds; on the older buses, where one does, it is.)

    bench/bench_mangled_lines.py [--answers 100000]
"""

import argparse
import random
import sys
import time
from collections import Counter

from nervus.link.errors import Garbled
from nervus.link.meter_words import volts_said
from nervus.link.text_lines import Bus, read_lines

_HANG_S = 0.5
METER = ("+5.10000000E-01", "4.98 VDC", "498.2 mV", "4,98", "-0.003", "12.61 V")
VOLTS = (0.51, 4.98, 0.4982, 4.98, -0.003, 12.61)
ADAPTER = {
    Bus.NARROW: "7E8 04 41 0C 1A F8 00 00 00\r7E8 03 41 0D 40 00 00 00 00",
    Bus.WIDE: "18 DA F1 10 04 41 0C 1A F8 00 00 00\r18 DA F1 10 03 41 0D 40 00 00 00 00",
    Bus.SUMMED: "48 6B 10 41 0C 1A F8 22\r48 6B 10 41 0D 40 51",
}
TOLD = {bytes.fromhex("410C1AF8"), bytes.fromhex("410D40")}


def mangled(text: str, noise: random.Random, kinds: tuple[str, ...]) -> str:
    """A text with some of it lost, doubled, put in, cut off or changed."""
    data = list(text)
    what = noise.choice(kinds)
    # A sum can't see changes that cancel each other out: of these there is one.
    for _ in range(1 if what == "change" else noise.choice([0, 1, 1, 2, 5])):
        at = noise.randrange(len(data) + 1)
        if what == "lose":
            del data[at : at + noise.randrange(1, 4)]
        elif what == "double":
            data[at:at] = data[at : at + 1]
        elif what == "insert":
            data.insert(at, chr(noise.randrange(256)))
        elif what == "cut":
            del data[at:]
        elif what == "change" and data:
            data[min(at, len(data) - 1)] = noise.choice("0123456789ABCDEF")
    return "".join(data)


def meters(count: int) -> Counter[str]:
    """Readings with letters put in, bytes of noise, or another answer behind.

    A reading that lost a digit is another reading: 4.98 V without its 9 is 4.8 V. Nobody can tell; so of
    these kinds only what is no digit, point or sign is put in.
    """
    noise, counts = random.Random(5), Counter[str](FALSE=0, HUNG=0)  # noqa: S311 - no secret
    for _ in range(count):
        which = noise.randrange(len(METER))
        text = METER[which]
        kind = noise.choice(["letters", "twice", "noise", "whole"])
        if kind == "letters":
            for _ in range(noise.randrange(1, 4)):
                at = noise.randrange(len(text) + 1)
                text = text[:at] + noise.choice("abcdfghijklnopqrstuwxyzGHJKLXYZ#&*?/;:_=") + text[at:]
        elif kind == "twice":
            text = f"{text}{noise.choice([',', ';', ' '])}{noise.choice(METER)}"
        elif kind == "noise":
            text = "".join(chr(noise.randrange(256)) for _ in range(noise.randrange(40)))
        began = time.perf_counter()
        try:
            said = volts_said(text)
        except Garbled:
            counts["told in a sentence"] += 1
        else:
            is_true = said.volts is None or abs(said.volts - VOLTS[which]) < 1e-9
            if kind == "noise" and said.volts is not None:
                is_true = True  # noise that is a number by chance is a number
                counts["noise that is a number"] += 1
            counts["true, or a word" if is_true else "FALSE"] += 1
        counts["HUNG"] += time.perf_counter() - began > _HANG_S
    return counts


def adapters(count: int) -> Counter[str]:
    """Lines of an adapter, on CAN and on an older bus."""
    noise, counts = random.Random(6), Counter[str](FALSE=0, HUNG=0)  # noqa: S311 - no secret
    for _ in range(count):
        bus = noise.choice(list(ADAPTER))
        kinds: tuple[str, ...] = ("lose", "double", "insert", "cut")
        if bus is Bus.SUMMED:
            kinds = (*kinds, "change")
        text = mangled(ADAPTER[bus], noise, kinds)
        began = time.perf_counter()
        said = read_lines(
            [line for line in text.split("\r") if line.strip()], bus, frozenset({0, 0x110})
        )
        told = [answer for answers in said.answers.values() for answer in answers]
        counts["answers taken"] += len(told)
        counts["lines that could not be read"] += said.unreadable
        counts["FALSE"] += sum(answer not in TOLD for answer in told)
        counts["HUNG"] += time.perf_counter() - began > _HANG_S
    return counts


def main() -> int:
    """Mangle, read, print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--answers", type=int, default=100_000)
    wanted = parser.parse_args()
    bad = 0
    for name, found in (("meter", meters(wanted.answers)), ("adapter", adapters(wanted.answers))):
        told = ", ".join(f"{key} {found[key]:,d}" for key in sorted(found))
        print(f"{wanted.answers:,d} mangled answers of a {name}: {told}")
        bad += found["FALSE"] + found["HUNG"]
    return int(bad > 0)


if __name__ == "__main__":
    sys.exit(main())
