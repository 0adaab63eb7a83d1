"""The commands and what the world does to them: one sentence each, nothing overwritten or half done."""

import contextlib
import errno
import os
import re
import signal
import socket
import stat
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from nervus import world
from nervus.cli import command_parser, main
from nervus.command_help import FAULTS, PROBES
from nervus.domain.errors import OutsideError
from nervus.files.outputs import check_regular, free_place
from nervus.standin.planting import read_fault
from nervus.standin.vehicle import SimulatedVehicle
from nervus.window import display

NERVUS = [sys.executable, "-m", "nervus"]
COMMANDS = (
    "window", "analyse", "record", "journal", "simulate", "stand-in", "codes", "clear-codes",
    "learn-closed", "jobs", "give", "take", "bundle-schema", "judge", "report", "due", "demo-files",
)  # fmt: skip


def small(path: Path) -> Path:
    path.write_text("time_s,tps1_v\n" + "".join(f"{n / 10},{0.5 + n / 100}\n" for n in range(60)))
    return path


def run(
    *arguments: str, given: str | None = None, env: dict[str, str | None] | None = None
) -> "subprocess.CompletedProcess[str]":
    """A command in a process of its own; a variable that is `None` is not set."""
    wanted = {**os.environ, "QT_QPA_PLATFORM": "offscreen", **(env or {})}
    return subprocess.run(
        [*NERVUS, *arguments],
        input=given,
        capture_output=True,
        text=True,
        env={name: value for name, value in wanted.items() if value is not None},
        check=False,
        timeout=60,
    )


# -- what the world does -----------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("number", "says"),
    [
        (errno.ENOENT, "no such file"), (errno.EACCES, "may not be read or written"),
        (errno.EISDIR, "a folder"), (errno.ENOSPC, "disk is full"), (errno.EROFS, "can't be written"),
        (errno.EIO, "failed"), (errno.ECONNREFUSED, "nobody listens"), (errno.EMFILE, "too many files"),
        (errno.EXDEV, "cross-device"),
    ],
)  # fmt: skip
def test_an_error_of_the_system_is_one_sentence(
    number: int, says: str, capsys: pytest.CaptureFixture[str]
) -> None:
    def fail() -> int:
        raise OSError(number, os.strerror(number), "place")

    assert world.guarded(fail) == 2
    err = capsys.readouterr().err
    assert err.startswith("nervus: place: ")
    assert says in err.lower()
    assert err.count("\n") == 1


@pytest.mark.parametrize(
    ("wrong", "code", "says"),
    [
        (KeyboardInterrupt(), 130, "stopped"),
        (MemoryError(), 2, "not enough memory"),
        (OutsideError("It can't be."), 2, "It can't be."),
        (socket.gaierror(-2, "Name or service not known"), 2, "not known here"),
    ],
)
def test_everything_else_that_may_come(
    wrong: BaseException, code: int, says: str, capsys: pytest.CaptureFixture[str]
) -> None:
    def fail() -> int:
        raise wrong

    assert world.guarded(fail) == code
    assert says in capsys.readouterr().err


def test_a_mistake_of_ours_is_not_hidden() -> None:
    def fail() -> int:
        raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        world.guarded(fail)


def test_a_pipe_whose_reader_has_seen_enough_is_no_failure(tmp_path: Path) -> None:
    path = small(tmp_path / "r.csv")
    command = f"{sys.executable} -m nervus analyse {path} --json | head -c 5; echo ${{PIPESTATUS[0]}}"
    done = subprocess.run(["bash", "-c", command], capture_output=True, text=True, check=True)
    assert done.stderr == ""
    assert done.stdout.splitlines()[-1].endswith("0")


def test_a_terminal_that_knows_few_letters_gets_them_spelt_out(tmp_path: Path) -> None:
    path = small(tmp_path / "r.csv")
    done = run("analyse", str(path), env={"PYTHONIOENCODING": "ascii", "LC_ALL": "C"})
    assert done.returncode == 0, done.stderr
    assert run("analyse", str(path), "--json", env={"PYTHONIOENCODING": "latin-1"}).returncode == 0
    refused = run("analyse", str(tmp_path / "größe.csv"), env={"PYTHONIOENCODING": "ascii"})
    assert refused.returncode == 2
    assert refused.stderr.count("\n") == 1


def test_standard_input_and_pipes_are_recordings_too(tmp_path: Path) -> None:
    text = small(tmp_path / "r.csv").read_text()
    from_file = run("analyse", str(tmp_path / "r.csv"), "--json").stdout
    assert run("analyse", "-", "--json", given=text).stdout == from_file
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)
    writer = subprocess.Popen(["bash", "-c", f"cat {tmp_path / 'r.csv'} > {pipe}"])
    assert run("analyse", str(pipe), "--json").stdout == from_file
    assert writer.wait(10) == 0
    foreign = text.replace("time_s,tps1_v", "Time;TPS1").replace(",", ";").replace(".", ",")
    asked = run("analyse", "-", given=foreign)
    assert asked.returncode == 2
    assert '--map "TPS1[V]=tps1_v"' in asked.stderr
    assert "--time-unit s" in asked.stderr
    agreed = run("analyse", "-", "--json", "--map", "TPS1[V]=tps1_v", "--time-unit", "s", given=foreign)
    assert agreed.stdout == from_file
    assert run("analyse", "-", "--json", "--agree", given=foreign).stdout == from_file


def test_no_home_folder_stops_only_what_needs_one(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def nobody() -> Path:
        raise RuntimeError("Could not determine home directory.")

    monkeypatch.delenv("XDG_DATA_HOME", raising=False)
    monkeypatch.setattr(Path, "home", nobody)
    assert main(["analyse", str(small(tmp_path / "r.csv")), "--json"]) == 0
    assert main(["jobs"]) == 2
    assert main(["jobs", "--logbook", str(tmp_path / "none.db")]) == 2


# A child that hears Ctrl C, also where whoever runs the tests does not, as `nohup … &` begins them.
HEARS = ["env", "--default-signal=INT"]


@contextlib.contextmanager
def started(*arguments: str, **more: Any) -> Iterator["subprocess.Popen[str]"]:
    """A command under way; whatever comes, it is gone afterwards."""
    with subprocess.Popen([*HEARS, *NERVUS, *arguments], text=True, **more) as running:
        try:
            yield running
        finally:
            running.kill()


def test_ctrl_c_leaves_nothing_half_written(tmp_path: Path) -> None:
    path = tmp_path / "long.csv"
    with started("simulate", "--for", "1h", "-o", str(path), stderr=subprocess.PIPE) as running:
        time.sleep(3.0)
        running.send_signal(signal.SIGINT)
        _, err = running.communicate(timeout=60)
        assert running.returncode == 130
        assert err == "nervus: stopped.\n"
    assert list(tmp_path.iterdir()) == []


def test_a_stand_in_without_a_terminal_goes_on_until_a_signal(tmp_path: Path) -> None:
    out = tmp_path / "out"
    with (
        out.open("w") as written,
        Path(os.devnull).open() as nothing,
        started("stand-in", stdin=nothing, stdout=written, stderr=written) as running,
    ):
        wait_for(lambda: "standin:" in out.read_text())
        time.sleep(0.5)
        assert running.poll() is None
        running.send_signal(signal.SIGINT)
        assert running.wait(60) == 130
    pipe = subprocess.PIPE
    with started("stand-in", stdin=pipe, stdout=pipe) as held:
        assert held.stdout is not None
        assert held.stdout.readline().startswith("standin:")
        held.communicate(timeout=60)
        assert held.returncode == 0


def wait_for(done: Callable[[], bool]) -> None:
    for _ in range(600):
        if done():
            return
        time.sleep(0.05)
    raise AssertionError("it did not come")


# -- what is written where ---------------------------------------------------------------------------


def test_nothing_that_is_there_is_written_over_unasked(tmp_path: Path) -> None:
    there = tmp_path / "r.csv"
    there.write_text("mine")
    for command in (
        ["simulate", "--for", "1s", "-o", str(there)],
        ["record", "--source", "simulated", "--for", "1s", "-o", str(there)],
    ):
        assert main(command) == 2
        assert there.read_text() == "mine"
    assert main(["simulate", "--for", "1s", "-o", str(there), "--replace"]) == 0
    assert there.read_text().startswith("time_s,channel,value")
    folder = tmp_path / "demo"
    assert main(["demo-files", str(folder)]) == 0
    first = sorted(folder.iterdir())[0]
    before = [(p.name, p.stat().st_mtime_ns) for p in sorted(folder.iterdir())]
    assert main(["demo-files", str(folder)]) == 2
    assert [(p.name, p.stat().st_mtime_ns) for p in sorted(folder.iterdir())] == before
    first.write_text("mine")
    assert main(["demo-files", str(folder), "--replace"]) == 0
    assert first.read_text() != "mine"


def test_a_device_a_pipe_or_a_folder_is_never_replaced(tmp_path: Path) -> None:
    pipe, folder, link = tmp_path / "pipe", tmp_path / "folder", tmp_path / "link"
    os.mkfifo(pipe)
    folder.mkdir()
    link.symlink_to(os.devnull)
    for place in (pipe, folder, link, Path(os.devnull)):
        mode = os.stat(place).st_mode  # noqa: PTH116 - what a link leads to
        with pytest.raises(OutsideError, match=r"is a (device|folder)"):
            check_regular(place)
        assert main(["simulate", "--for", "1s", "--replace", "-o", str(place)]) == 2
        assert os.stat(place).st_mode == mode  # noqa: PTH116
    assert stat.S_ISCHR(Path(os.devnull).stat().st_mode)
    check_regular(tmp_path / "not there yet")
    with pytest.raises(OutsideError, match="there is no such folder"):
        free_place(tmp_path / "no" / "r.csv")


# -- what --help says --------------------------------------------------------------------------------


@pytest.mark.parametrize("command", COMMANDS)
def test_every_command_has_help_with_an_example_that_its_parser_takes(
    command: str, capsys: pytest.CaptureFixture[str]
) -> None:
    with pytest.raises(SystemExit) as ended:
        main([command, "--help"])
    assert ended.value.code == 0
    out = capsys.readouterr().out
    example = re.search(r"example:\n {2}nervus (.+)", out)
    assert example is not None
    import shlex

    told = command_parser().parse_args(shlex.split(example[1]))
    assert told.run is not None
    assert "exit:" in out


def test_the_list_of_commands_is_whole(capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit):
        main(["--help"])
    out = capsys.readouterr().out
    assert tuple(re.findall(r"^ {4}([a-z-]+) ", out, re.MULTILINE)) == tuple(
        c for c in re.findall(r"^ {4}([a-z-]+) ", out, re.MULTILINE) if c in COMMANDS
    )
    assert all(command in out for command in COMMANDS)


def test_the_values_that_help_names_are_those_that_are_taken() -> None:
    for fault in re.findall(r"\b(sticks|stays-open|weak-motor|dead-motor|false-air)\b", FAULTS):
        read_fault(fault)
    for line in ("supply", "ground", "signal1", "signal2", "wiper1", "above1", "below1", "plug_signal1"):
        assert line in FAULTS
        read_fault(f"open-{line}")
        read_fault(f"resistance-{line}=400~shake")
    read_fault("short-signal1-battery~heat")
    read_fault("pedal:open-signal1@18-21")
    nodes = SimulatedVehicle().pins()
    named = re.findall(r"\b[a-z]+_?[a-z]*\d?\b", PROBES.partition("\n")[2].partition(", and")[0])
    assert named
    assert set(named) <= set(nodes)


# -- where a window can be shown ---------------------------------------------------------------------


@pytest.fixture
def bare(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> pytest.MonkeyPatch:
    """No display, and every library there."""
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    monkeypatch.setattr(display, "_missing", lambda _kind: "")
    monkeypatch.setattr(display, "_X11_SOCKETS", str(tmp_path))
    return monkeypatch


def listening(path: Path) -> socket.socket:
    made = socket.socket(socket.AF_UNIX)
    made.bind(str(path))
    made.listen()
    return made


def test_without_a_display_one_sentence_says_so(bare: pytest.MonkeyPatch) -> None:
    with pytest.raises(OutsideError, match="There is no display to show a window on; all commands"):
        display.check_display()
    bare.setenv("DISPLAY", ":98")
    with pytest.raises(OutsideError, match="nobody answers on DISPLAY=:98"):
        display.check_display()
    bare.setenv("QT_QPA_PLATFORM", "offscreen:configfile=x")
    display.check_display()


def test_the_display_that_is_there_is_taken(bare: pytest.MonkeyPatch, tmp_path: Path) -> None:
    bare.setenv("WAYLAND_DISPLAY", "wayland-0")
    bare.setenv("DISPLAY", ":7")
    with listening(tmp_path / "wayland-0"):
        display.check_display()
        assert os.environ["QT_QPA_PLATFORM"] == "wayland"
    bare.delenv("QT_QPA_PLATFORM")
    (tmp_path / "wayland-0").unlink()
    with listening(tmp_path / "X7"):
        display.check_display()
        assert os.environ["QT_QPA_PLATFORM"] == "xcb"


def test_a_missing_library_is_named_with_its_package(bare: pytest.MonkeyPatch, tmp_path: Path) -> None:
    lacks = {"wayland": "libwayland-cursor.so.0", "xcb": "libxcb-cursor.so.0"}
    bare.setattr(display, "_missing", lambda kind: lacks[kind])
    bare.setenv("WAYLAND_DISPLAY", "wayland-0")
    with (
        listening(tmp_path / "wayland-0"),
        pytest.raises(
            OutsideError, match=r"libwayland-cursor\.so\.0.*apt-get install libwayland-cursor0"
        ),
    ):
        display.check_display()


def test_the_command_ends_with_a_sentence_where_no_window_can_be() -> None:
    gone: dict[str, str | None] = {"DISPLAY": None, "WAYLAND_DISPLAY": None, "QT_QPA_PLATFORM": None}
    done = run("window", env=gone)
    assert done.returncode == 2
    assert done.stderr.startswith("nervus: There is no display")
    assert done.stderr.count("\n") == 1
