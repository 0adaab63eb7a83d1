"""Writes man pages and shell completions from the parser itself.

python packaging/pages.py FOLDER
"""

import argparse
import os
import sys
from pathlib import Path

import shtab
from build_manpages.manpage import Manpage

# The pages that ship are in English, whoever builds them.
os.environ["NERVUS_LANGUAGE"] = "en"

from nervus import __version__
from nervus.cli import command_parser


def main(folder: Path) -> None:
    """Write all of it below a folder, where a system looks for it."""
    parser = command_parser()
    man = folder / "share" / "man" / "man1"
    man.mkdir(parents=True)
    page = Manpage(parser)
    page.manual = f"Nervus {__version__}"
    (man / "nervus.1").write_text(str(page), encoding="utf-8")
    for name, command in _commands(parser).items():
        own = Manpage(command)
        own.manual = page.manual
        (man / f"nervus-{name}.1").write_text(str(own), encoding="utf-8")
    for shell, place in (
        ("bash", "share/bash-completion/completions/nervus"),
        ("zsh", "share/zsh/vendor-completions/_nervus"),
    ):
        to = folder / place
        to.parent.mkdir(parents=True)
        to.write_text(shtab.complete(parser, shell), encoding="utf-8")


def _commands(parser: argparse.ArgumentParser) -> dict[str, argparse.ArgumentParser]:
    """The parser of each command."""
    actions = parser._actions  # noqa: SLF001 - the parser has no other way to ask
    found = next(a for a in actions if isinstance(a, argparse._SubParsersAction))  # noqa: SLF001
    return dict(found.choices)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
