"""Whether a window can be shown at all: asked before Qt is, for Qt ends the program where it can't."""

import ctypes
import os
import re
import socket
from importlib.util import find_spec
from pathlib import Path

from nervus.domain.errors import OutsideError
from nervus.language import say

# What needs no screen.
_ELSEWHERE = frozenset({"offscreen", "minimal", "vnc", "linuxfb", "eglfs", "minimalegl"})
_WITHOUT = say("all commands work without one, see nervus --help")
_PACKAGES = {
    "libxcb-cursor.so.0": "libxcb-cursor0", "libxcb-icccm.so.4": "libxcb-icccm4",
    "libxcb-keysyms.so.1": "libxcb-keysyms1", "libxcb-shape.so.0": "libxcb-shape0",
    "libxkbcommon-x11.so.0": "libxkbcommon-x11-0", "libxkbcommon.so.0": "libxkbcommon0",
    "libwayland-client.so.0": "libwayland-client0", "libwayland-cursor.so.0": "libwayland-cursor0",
    "libwayland-egl.so.1": "libwayland-egl1", "libEGL.so.1": "libegl1", "libGL.so.1": "libgl1",
    "libglib-2.0.so.0": "libglib2.0-0", "libdbus-1.so.3": "libdbus-1-3",
    "libfontconfig.so.1": "libfontconfig1",
}  # fmt: skip
_PLUGINS = {"xcb": "libqxcb.so", "wayland": "libqwayland.so"}
_X11_SOCKETS = "/tmp/.X11-unix"  # noqa: S108 - where every X server has its socket
_X11_PORT, _LONGEST_S = 6000, 3.0


def check_display() -> None:
    """Choose the platform that works, and leave it to Qt; does nothing where no screen is needed.

    Raises:
        OutsideError: there is no display, nobody answers on it, or a library is missing.
    """
    asked = os.environ.get("QT_QPA_PLATFORM", "").split(":")[0].split(";")[0]
    if asked in _ELSEWHERE:
        return
    there = [kind for kind in ("wayland", "xcb") if _is_there(kind) and asked in ("", kind)]
    if not there:
        named = [f"{n}={os.environ[n]}" for n in ("DISPLAY", "WAYLAND_DISPLAY") if os.environ.get(n)]
        where = say("; nobody answers on {join}", join=" or ".join(named)) if named else ""
        raise OutsideError(
            say(
                "There is no display to show a window on{where}; {without}.",
                where=where,
                without=_WITHOUT,
            )
        )
    missing = {kind: _missing(kind) for kind in there}
    usable = [kind for kind, library in missing.items() if not library]
    if not usable:
        library = missing[there[0]]
        package = _PACKAGES.get(library)
        install = say(": apt-get install {package}", package=package) if package else ""
        raise OutsideError(
            say(
                "The window needs {library}, which is not installed{install}; {without}.",
                library=library,
                install=install,
                without=_WITHOUT,
            )
        )
    if not asked and usable != ["wayland", "xcb"]:
        os.environ["QT_QPA_PLATFORM"] = usable[0]


def _is_there(kind: str) -> bool:
    """Whether somebody answers on the display of that kind."""
    return _wayland_answers() if kind == "wayland" else _x11_answers(os.environ.get("DISPLAY", ""))


def _wayland_answers() -> bool:
    name = os.environ.get("WAYLAND_DISPLAY", "")
    folder = os.environ.get("XDG_RUNTIME_DIR", "")
    if not name or not (folder or name.startswith("/")):
        return False
    return _answers_at(str(Path(folder) / name))


def _x11_answers(display: str) -> bool:
    found = re.fullmatch(r"(?:unix/?)?([^:]*):(\d+)(?:\.\d+)?", display)
    if found is None:
        return bool(display)  # written in a way that Qt may know
    host, number = found[1], int(found[2])
    if not host:
        path = f"{_X11_SOCKETS}/X{number}"
        return _answers_at(path) or _answers_at(f"\0{path}")
    try:
        with socket.create_connection((host, _X11_PORT + number), _LONGEST_S):
            return True
    except OSError:
        return False


def _answers_at(path: str) -> bool:
    with socket.socket(socket.AF_UNIX) as tried:
        tried.settimeout(_LONGEST_S)
        try:
            tried.connect(path)
        except OSError:
            return False
        return True


def _missing(kind: str) -> str:
    """The library that the platform's plugin lacks, "" where it loads."""
    found = find_spec("PyQt6")
    folders = found.submodule_search_locations if found is not None else None
    for folder in folders or ():
        plugin = Path(folder) / "Qt6" / "plugins" / "platforms" / _PLUGINS[kind]
        if plugin.is_file():
            try:
                ctypes.CDLL(str(plugin))
            except OSError as wrong:
                return str(wrong).partition(":")[0]
            return ""
    return ""  # a Qt of the system's own finds its plugins elsewhere
