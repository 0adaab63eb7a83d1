"""The commands that ask a vehicle's units, or tell them something: their words and their exit codes."""

import io
import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from nervus.cli import main
from nervus.files.journal import SUFFIX, Journal
from nervus.files.recording_csv import read_recording
from nervus.link import buses
from nervus.standin.planting import read_fault
from nervus.standin.vehicle import SimulatedVehicle
from nervus.standin.vehicle_server import VehicleServer
from plain_vehicle import Jumping, PlainVehicle, Unit


@pytest.fixture
def served() -> Iterator[VehicleServer]:
    vehicle = SimulatedVehicle(faults=(read_fault("open-signal2"),))
    vehicle.advance(1.0)
    with VehicleServer(vehicle, answer_s=0.001) as server:
        yield server


def answering(monkeypatch: pytest.MonkeyPatch, text: str) -> None:
    monkeypatch.setattr("sys.stdin", io.StringIO(text))


@pytest.mark.parametrize(
    ("typed", "sent"), [("", False), ("y\n", False), ("no\n", False), ("yes\n", True)]
)
def test_codes_are_cleared_only_after_a_plain_yes(
    served: VehicleServer,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
    typed: str,
    sent: bool,  # noqa: FBT001 - a test's parameter
) -> None:
    answering(monkeypatch, typed)
    code = main(["clear-codes", "--source", f"standin:{served.port}"])
    told = capsys.readouterr().out
    assert "P0222-16" in told  # what there is, before it is gone
    assert "Type yes to go on" in told
    assert ("control unit 0: cleared" in told) is sent
    assert ("Nothing was sent" in told) is not sent
    assert code == (0 if sent else 1)  # the second unit does not offer it: it has nothing to clear by it
    if not sent:
        assert served.vehicle.unit.memory.stored


def test_a_running_engine_is_refused_whatever_was_said(
    served: VehicleServer, capsys: pytest.CaptureFixture[str]
) -> None:
    with served.lock:
        served.vehicle.start_engine()
        served.vehicle.advance(1.0)
    for command in ("clear-codes", "learn-closed"):
        assert main([command, "--yes", "--source", f"standin:{served.port}"]) == 2
        assert "The engine runs" in capsys.readouterr().err
    assert served.vehicle.unit.memory.stored
    assert main(["clear-codes", "--source", "standin:1"]) == 2
    assert main(["learn-closed", "--unit", "engine", "--source", "simulated"]) == 2
    assert "is no control unit" in capsys.readouterr().err


def test_the_closed_stop_is_learned_after_a_yes(
    served: VehicleServer, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    answering(monkeypatch, "no\n")
    assert main(["learn-closed", "--source", f"standin:{served.port}"]) == 1
    assert not served.vehicle.unit.is_learning
    answering(monkeypatch, "yes\n")
    assert main(["learn-closed", "--source", f"standin:{served.port}"]) == 0
    told = capsys.readouterr().out
    assert "fingers" in told
    assert "has learned the closed stop" in told


@pytest.mark.parametrize(
    ("unit", "exit_code", "says"),
    [
        (Unit(0, codes={3: (), 7: (), 10: ()}), 0, "No codes: 1 control unit told so."),
        (Unit(0, codes={3: (), 7: (), 10: ()}, silent=frozenset({3})), 1, "does not mean none"),
        (Unit(0, codes={3: (0x0121,), 7: ()}, silent=frozenset({10})), 1, "permanent codes: no answer"),
        (Unit(0, silent=frozenset(range(256))), 2, "key on"),
    ],
)
def test_no_codes_is_said_and_exits_as_it_is_meant(
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
    unit: Unit,
    exit_code: int,
    says: str,
) -> None:
    clock = Jumping()
    monkeypatch.setattr(buses, "open_bus", lambda _where: PlainVehicle([unit], clock))
    with clock.instead_of_time():
        assert main(["codes", "--source", "socketcan:can0"]) == exit_code
    told = capsys.readouterr()
    assert says in told.out + told.err


def test_control_c_ends_a_command_with_130_and_no_traceback(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    def interrupted(_where: str) -> None:
        raise KeyboardInterrupt

    monkeypatch.setattr(buses, "open_bus", interrupted)
    assert main(["codes", "--source", "socketcan:can0"]) == 130
    assert capsys.readouterr().err == "nervus: stopped.\n"


def test_a_recording_command_that_is_interrupted_writes_what_there_is(tmp_path: Path) -> None:
    path = tmp_path / "r.csv"
    command = [
        sys.executable,
        "-m",
        "nervus",
        "record",
        "--source",
        "simulated",
        "--for",
        "60s",
        "-o",
        str(path),
    ]
    running = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    assert running.stdout is not None
    assert running.stdout.readline().startswith("Recording for 60 s")
    journal = path.with_name(path.name + SUFFIX)
    while journal.stat().st_size < 2000 and running.poll() is None:
        time.sleep(0.01)
    os.kill(running.pid, signal.SIGINT)
    told, wrong = running.communicate(timeout=120)
    assert running.returncode == 0, wrong
    assert "samples" in told
    assert "Traceback" not in wrong
    assert read_recording(path).get("tps1_pct") is not None
    assert not journal.exists()


def test_a_table_is_made_of_a_recording_that_was_cut_off(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    journal = Journal(tmp_path / f"cut{SUFFIX}")
    for number in range(3):
        journal.samples("tps1_v", number + np.arange(10) / 10.0, np.ones(10))
    out = tmp_path / "cut.csv"
    assert main(["journal", str(journal.path), "-o", str(out)]) == 0
    assert "still being written" in capsys.readouterr().err
    journal.close()
    data = bytearray(journal.path.read_bytes())
    data[len(data) // 2] ^= 1
    journal.path.write_bytes(bytes(data))
    assert main(["journal", str(journal.path), "-o", str(out)]) == 2
    assert "is there already" in capsys.readouterr().err
    out.unlink()
    assert main(["journal", str(journal.path), "-o", str(out)]) == 0
    assert "damaged" in capsys.readouterr().err
    track = read_recording(out).get("tps1_v")
    assert track is not None
    assert track.samples == 20
    assert main(["journal", str(tmp_path / "none"), "-o", str(out)]) == 2
    no_journal = shutil.copy(out, tmp_path / f"no{SUFFIX}")
    assert main(["journal", str(no_journal), "-o", str(tmp_path / "x.csv")]) == 2
    assert "no whole sample" in capsys.readouterr().err
