"""What is shown, out into a file: the picture as PNG or SVG, its data as a table."""

from collections.abc import Callable
from pathlib import Path
from uuid import uuid4

from PyQt6.QtCore import QBuffer, QIODevice, QRectF, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QFileDialog, QWidget

from nervus.domain.channel import Channel, Recording, Span
from nervus.domain.errors import OutsideError
from nervus.language import say
from nervus.window.pictures.plots import Chart

_KINDS = say("Picture (*.png);;Drawing (*.svg);;Data of what is shown (*.csv)")
_SUFFIXES = (".png", ".svg", ".csv")
# Twice as fine as on the screen: it is printed.
_FINER = 2.0


class NotGivenOut(OutsideError):
    """A picture that can't be written there, or so."""


def asked_where(parent: QWidget, stem: str) -> Path | None:
    """Where the picture is to be written; its name says as what."""
    name, kind = QFileDialog.getSaveFileName(parent, say("Give the picture out"), f"{stem}.png", _KINDS)
    if name and not Path(name).suffix:
        name += next(s for s in _SUFFIXES if s in kind)
    return Path(name) if name else None


def give_out(chart: Chart, recording: Recording, shown: Span, to: Path) -> None:
    """Write what a chart shows, as the file's name says, whole or not at all.

    Raises:
        NotGivenOut: the name ends in none of the three, or the disk takes nothing.
    """
    write = {".png": _png, ".svg": _svg, ".csv": _csv}.get(to.suffix.lower())
    if write is None:
        raise NotGivenOut(say("{name}: accepted are .png, .svg and .csv.", name=to.name))
    _whole(to, lambda part: write(chart, recording, shown, part))


def _whole(to: Path, write: Callable[[Path], None]) -> None:
    # A name of its own: two may be written to one place at once.
    part = to.with_name(f"{to.stem}.{uuid4().hex[:8]}.part{to.suffix}")
    try:
        write(part)
        part.replace(to)
    except OSError as wrong:
        part.unlink(missing_ok=True)
        why = (wrong.strerror or say("it can't be written")).lower()
        raise NotGivenOut(say("{to}: it can't be written there ({why}).", to=to, why=why)) from wrong


def _png(chart: Chart, _recording: Recording, _shown: Span, part: Path) -> None:
    from PyQt6.QtGui import QPixmap  # noqa: PLC0415 - beside its one use

    picture = QPixmap(QSize(round(chart.width() * _FINER), round(chart.height() * _FINER)))
    painter = QPainter(picture)
    chart.render(painter)
    painter.end()
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    picture.save(buffer, "PNG")
    part.write_bytes(buffer.data().data())


def _svg(chart: Chart, recording: Recording, _shown: Span, part: Path) -> None:
    from PyQt6.QtSvg import QSvgGenerator  # noqa: PLC0415 - seldom wanted: start-up

    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    generator = QSvgGenerator()
    generator.setOutputDevice(buffer)
    generator.setSize(chart.size())
    generator.setViewBox(QRectF(0, 0, chart.width(), chart.height()))
    generator.setTitle(recording.name)
    generator.setDescription(chart.accessibleName())
    painter = QPainter(generator)
    chart.render(painter)
    painter.end()
    part.write_bytes(buffer.data().data())


def _csv(_chart: Chart, recording: Recording, shown: Span, part: Path) -> None:
    """Only what is shown, in our own format: the names of the channels carry their units."""
    from nervus.files.recording_writer import write_recording  # noqa: PLC0415 - loads pandas

    channels = []
    for channel in recording.channels:
        inside = (channel.time_s >= shown[0]) & (channel.time_s <= shown[1])
        if inside.any():
            channels.append(
                Channel(channel.kind, channel.time_s[inside].copy(), channel.values[inside].copy())
            )
    if not channels:
        raise NotGivenOut(
            say("Nothing was recorded in what is shown; move the picture, then give it out again.")
        )
    marks = tuple(m for m in recording.marks if shown[0] <= m.time_s <= shown[1])
    write_recording(Recording(tuple(channels), marks, recording.name), part)
