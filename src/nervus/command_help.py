"""What `--help` says of a command: an example, the defaults, and the values that its options take."""

import argparse
from typing import Any

from nervus.language import say

FAULTS = say(
    "faults:\n  open-LINE  resistance-LINE=OHMS  short-LINE-LINE     lines: supply, "
    "ground, signal1, signal2; battery\n                                        for "
    "shorts; wiper1, above1, below1 of track 1 (2 alike),\n                         "
    "               plug_signal1, supply_plug, ground_plug\n  sticks  stays-open  "
    "weak-motor  dead-motor  false-air    mechanics and air\n  FAULT~shake  ~water  "
    "~heat  ~chance                  shows only then\n  FAULT@18-21                 "
    "                         shows at this place of the travel, percent\n  "
    "pedal:FAULT                                          the same in the pedal's "
    "sensor"
)
SOURCES = say(
    "sources:\n  simulated  simulated:FAULT            a simulated vehicle of its "
    "own, see nervus simulate --help\n  standin:PORT                          one "
    "that “nervus stand-in” runs\n  socketcan:can0                        a CAN "
    "interface of the system; other adapters: docs/connecting.md\n  "
    "serial:/dev/rfcomm0  tcp:HOST:PORT    a text adapter"
)
METERS = say("  meter:HOST:PORT=CHANNEL               a meter, such as meter:192.168.0.5:5025=tps1_v")
PROFILES = say(
    "profiles:\n  cable-three-wire  electronic-half  electronic-opposite, or a TOML "
    "file of your own like them"
)
MAPPING = say(
    "tables of other programs:\n  What a column is, is read from its name and unit. "
    "Where that is not sure, or a value can't be, nothing\n  is judged: the message "
    "says what it looks like, and what to add to agree, such as\n    --map "
    '"TPS1[mV]=tps1_v"   --time-unit ms   --dates day-first   --map "Note=-" '
    "(leaves it out)\n  --agree takes all that is proposed. FILE may be - for "
    "standard input."
)
PROBES = say(
    "nodes for --probe:\n  signal1  signal2  vref  ground  return  supply  "
    "plug_signal1  plug_signal2  plug_supply  plug_ground\n  wiper1  wiper2  "
    "battery, and pedal_signal1 and so on for the pedal's sensor"
)
EXITS = say(
    "exit:\n  0 done; 1 done, and what is missing is named; 2 not done, one "
    "sentence says why; 130 stopped"
)


class _Formatter(argparse.RawDescriptionHelpFormatter):
    """Keeps what is written below as it is, and says defaults where there are some."""

    def _get_help_string(self, action: argparse.Action) -> str | None:
        silent = action.default in (None, False, True, argparse.SUPPRESS, []) or "default" in (
            action.help or ""
        )
        return action.help if silent else say("{value} (default: %(default)s)", value=action.help or "")


def add_command(
    commands: "argparse._SubParsersAction[argparse.ArgumentParser]",
    name: str,
    says: str,
    example: str,
    *values: str,
) -> argparse.ArgumentParser:
    """A command with its help.

    Args:
        commands: where it is added.
        name: of the command.
        says: what it does.
        example: one line that works.
        values: what its options take, block by block.
    """
    blocks = (f"example:\n  {example}", *values, EXITS)
    made: Any = commands.add_parser(
        name,
        help=says,
        description=f"{says[0].upper()}{says[1:]}.",
        epilog="\n\n".join(blocks).replace("%", "%%"),
        formatter_class=_Formatter,
    )
    parser: argparse.ArgumentParser = made
    return parser
