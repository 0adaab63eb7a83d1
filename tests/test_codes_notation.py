"""Trouble codes: notation by SAE J2012, status bits by ISO 14229-1."""

import pytest
from udsoncan import Dtc

from nervus.codes.notation import Code, CodeStatus, CodeUnreadable, read_code


def test_all_codes_are_written_and_read_back() -> None:
    """Every one of the 65536 numbers; each has a notation of its own."""
    written = {str(Code(number)) for number in range(0x10000)}
    assert len(written) == 0x10000
    assert all(str(read_code(text)) == text for text in written)


@pytest.mark.parametrize(
    ("number", "text"),
    [(0x0121, "P0121"), (0x2135, "P2135"), (0x4035, "C0035"), (0x9234, "B1234"), (0xC100, "U0100")],
)
def test_the_two_bytes_of_known_codes(number: int, text: str) -> None:
    """Source: SAE J2012 and its worked layout: two bits system, two bits digit, three hex digits."""
    assert str(Code(number)) == text
    assert read_code(text).number == number


@pytest.mark.parametrize("text", ["P0121", "p 0121", "0x0121", "p-0121", " P0121 "])
def test_any_usual_notation_is_read(text: str) -> None:
    assert read_code(text) == Code(0x0121)


@pytest.mark.parametrize("text", ["P0121-85", "P012185", "p0121:85", "P0121 85"])
def test_the_failure_type_stands_behind(text: str) -> None:
    assert read_code(text) == Code(0x0121, 0x85)
    assert str(read_code(text)) == "P0121-85"
    assert read_code(text).base == Code(0x0121)


@pytest.mark.parametrize("text", ["", "P012", "P4121", "X0121", "P01G1", "P0121-8", "0x12", "P0121-859"])
def test_what_is_no_code_is_told(text: str) -> None:
    with pytest.raises(CodeUnreadable, match="no trouble code"):
        read_code(text)


def test_the_makers_own_numbers() -> None:
    """Source: SAE J2012, from memory: P1xxx and P30xx to P33xx are the maker's, P34xx is not."""
    own = {
        text: read_code(text).is_makers_own
        for text in ("P0121", "P1121", "P2135", "P3012", "P3400", "U1000")
    }
    assert own == {
        "P0121": False,
        "P1121": True,
        "P2135": False,
        "P3012": True,
        "P3400": False,
        "U1000": True,
    }


BITS = {
    "failing_now": "test_failed",
    "failed_this_cycle": "test_failed_this_operation_cycle",
    "pending": "pending",
    "confirmed": "confirmed",
    "not_tested_since_clear": "test_not_completed_since_last_clear",
    "failed_since_clear": "test_failed_since_last_clear",
    "not_tested_this_cycle": "test_not_completed_this_operation_cycle",
    "lamp": "warning_indicator_requested",
}


def test_status_bits_against_the_reference_library() -> None:
    """Source: ISO 14229-1 annex D, as the library udsoncan reads it; all 256 bytes."""
    for byte in range(256):
        ours, theirs = CodeStatus(byte), Dtc.Status.from_byte(byte)
        assert all(getattr(ours, name) == getattr(theirs, standard) for name, standard in BITS.items())


@pytest.mark.parametrize(("number", "failure_type"), [(0, None), (0xFFFF, 0xFF), (0, 0), (1, 1)])
def test_codes_at_the_limits_of_their_bytes(number: int, failure_type: int | None) -> None:
    assert read_code(str(Code(number, failure_type))) == Code(number, failure_type)


@pytest.mark.parametrize(("number", "failure_type"), [(-1, None), (0x10000, None), (0, -1), (0, 0x100)])
def test_what_does_not_fit_its_bytes_is_no_code(number: int, failure_type: int | None) -> None:
    with pytest.raises(ValueError, match="no trouble code"):
        Code(number, failure_type)


def test_whose_a_number_is_in_every_system() -> None:
    """Source: SAE J2012, from memory: 1 and 2 of C, B and U are the maker's; of P 1 and 30 to 33."""
    own = {
        system: [digit for digit in range(4) if read_code(f"{system}{digit}400").is_makers_own]
        for system in "PCBU"
    }
    assert own == {"P": [1], "C": [1, 2], "B": [1, 2], "U": [1, 2]}
    edges = {
        text: read_code(text).is_makers_own
        for text in ("P2FFF", "P3000", "P33FF", "P3400", "P0FFF", "P1000")
    }
    assert edges == {
        "P2FFF": False, "P3000": True, "P33FF": True, "P3400": False, "P0FFF": False, "P1000": True,
    }  # fmt: skip


def test_one_without_a_failure_type_comes_before_those_with_one() -> None:
    codes = [Code(2), Code(1, 5), Code(1, 0), Code(1)]
    assert sorted(codes, key=lambda code: code.sort_key) == [Code(1), Code(1, 0), Code(1, 5), Code(2)]
