"""Writes man pages and shell completions from the parser itself.

python packaging/pages.py FOLDER
"""

import sys
from pathlib import Path

import shtab
from build_manpages.manpage import Manpage

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
    for shell, place in (
        ("bash", "share/bash-completion/completions/nervus"),
        ("zsh", "share/zsh/vendor-completions/_nervus"),
    ):
        to = folder / place
        to.parent.mkdir(parents=True)
        to.write_text(shtab.complete(parser, shell), encoding="utf-8")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
