"""Reading RS-274 programs (ISO 6983-1; the words as in the published grammar RS274/NGC, NIST 1999, section
3): what the machine does, move by move. A word that is not known is refused, never skipped."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.shop.paths.setup import Setup, setup_told
from kilnchisel.core.shop.paths.tools import Tool, tool_written
from kilnchisel.core.units import MM_PER_INCH

Array = NDArray[Any]

WORD = re.compile(r"\s*([A-Za-z])\s*([+-]?\d*\.?\d*)")
COMMENT = re.compile(r"\(([^()]*)\)|;(.*)$")
TOOL = re.compile(r"TOOL (\d+) (.+)", re.IGNORECASE)
CHANGE = re.compile(r"CHANGE TO TOOL (\d+)\b.*", re.IGNORECASE)  # by hand, where there is no M6
STOCK = re.compile(r"STOCK ([\d.]+) ([\d.]+) ([\d.]+) mm", re.IGNORECASE)
# a block that only moves, straight: most of a program
PLAIN = re.compile(r"G([01])(?: X(-?[\d.]+))?(?: Y(-?[\d.]+))?(?: Z(-?[\d.]+))?(?: F([\d.]+))?")
ARC_MM = 0.002  # how far the pieces of an arc may be from it
CLOSES_MM = 0.02  # how far an arc's end may be from its circle
MOST_LINES = 5_000_000
MOST_TURNS = 1000
AXES = "XYZ"
G_KNOWN = {
    "0",
    "1",
    "2",
    "3",
    "4",
    "17",
    "20",
    "21",
    "40",
    "49",
    "54",
    "64",
    "61",
    "80",
    "90",
    "91",
    "93",
    "94",
}
M_KNOWN = {"0", "1", "2", "3", "4", "5", "6", "7", "8", "9", "30"}


@dataclass(frozen=True, eq=False)
class Program:
    """Moves in order. ``ends`` (n + 1, 3): where each begins and ends, mm; ``rapid`` (n,) bool; ``feed``
    (n,) mm a minute; ``tool`` (n,) numbers; ``line`` (n,) of the program. ``tools``: what its comments say
    of its cutters; ``stock``, ``setup``: and of its stock, mm; ``dwell_s``: how long it stands still."""

    ends: Array
    rapid: Array
    feed: Array
    tool: Array
    line: Array
    tools: dict[int, Tool] = field(default_factory=dict)
    stock: tuple[float, float, float] | None = None
    dwell_s: float = 0.0
    changes: int = 0
    setup: Setup | None = None


class _Machine:
    """The state that words change."""

    def __init__(self) -> None:
        self.here = (0.0, 0.0, 0.0)
        self.scale, self.relative, self.motion = 1.0, False, ""
        self.feed, self.tool, self.next_tool = 0.0, 0, 0
        self.moves: list[tuple[tuple[float, float, float], bool, float, int, int]] = []
        self.dwell, self.changes, self.ended = 0.0, 0, False
        self.radius = 0.0  # of what turns about A, mm
        self.inverse = False  # a feed is one over a move's minutes

    def go(self, to: tuple[float, float, float], number: int, *, rapid: bool) -> None:
        self.moves.append((to, rapid, self.feed, self.tool, number))
        self.here = to

    def went(self, line: str, number: int) -> bool:
        """Do a block that only moves, straight; False for any other."""
        found = PLAIN.fullmatch(line)
        if found is None:
            return False
        motion, x, y, z, feed = found.groups()
        if not (x or y or z) or self.inverse or (motion == "1" and self.feed <= 0 and not feed):
            return False
        try:
            told = [None if one is None else float(one) * self.scale for one in (x, y, z)]
            self.feed = float(feed) * self.scale if feed else self.feed
        except ValueError:  # two points in a number
            return False
        self.motion = motion
        x0, y0, z0 = self.here
        if self.relative:
            to = (x0 + (told[0] or 0.0), y0 + (told[1] or 0.0), z0 + (told[2] or 0.0))
        else:
            to = (
                x0 if told[0] is None else told[0],
                y0 if told[1] is None else told[1],
                z0 if told[2] is None else told[2],
            )
        self.go(to, number, rapid=motion == "0")
        return True


def read_program(data: bytes, name: str = "The program") -> Program:
    """What a program does. Raises KilnError naming the line that cannot be followed."""
    lines = data.decode("ascii", "replace").splitlines()
    if len(lines) > MOST_LINES:
        raise KilnError(f"{name} has {len(lines):,} lines; {MOST_LINES:,} at most are read.")
    machine, tools = _Machine(), {}
    stock: tuple[float, float, float] | None = None
    setup: Setup | None = None
    for number, line in enumerate(lines, start=1):
        if machine.ended:
            break
        if machine.went(line, number):
            continue
        for said in COMMENT.finditer(line):
            text = (said[1] or said[2] or "").strip()
            if found := TOOL.fullmatch(text):
                tools[int(found[1])] = tool_written(found[2])
            elif found := CHANGE.fullmatch(text):
                machine.tool, machine.changes = int(found[1]), machine.changes + 1
            elif found := STOCK.fullmatch(text):
                stock = float(found[1]), float(found[2]), float(found[3])
            else:
                setup = _told(text, setup, f"{name}, line {number}")
                if setup is not None and setup.turning is not None:
                    machine.radius = setup.turning.radius_mm
        bare = COMMENT.sub("", line).strip()
        if not bare or bare == "%" or bare.startswith("/"):
            continue
        try:
            _follow(machine, _words(bare), number)
        except KilnError as error:
            raise KilnError(f"{name}, line {number}: {error}") from None
    if not machine.moves:
        raise KilnError(f"{name} moves nothing.")
    ends, rapid, feed, tool, where = zip(*machine.moves, strict=True)
    return Program(
        np.array([(0.0, 0.0, 0.0), *ends]),
        np.array(rapid),
        np.array(feed),
        np.array(tool),
        np.array(where),
        tools,
        stock,
        machine.dwell,
        machine.changes,
        setup,
    )


def _told(comment: str, known: Setup | None, where: str) -> Setup | None:
    try:
        return setup_told(comment, known)
    except ValueError:
        raise KilnError(f"{where}: the comment “{comment[:40]}” has a number that is none.") from None


def _words(line: str) -> list[tuple[str, float]]:
    found, at = [], 0
    while at < len(line):
        match = WORD.match(line, at)
        if match is None or not match[2].strip("+-."):
            raise KilnError(f"“{line[at : at + 20].strip()}” is no word.")
        found.append((match[1].upper(), float(match[2])))
        at = match.end()
        while at < len(line) and line[at].isspace():
            at += 1
    return found


def _follow(machine: _Machine, words: list[tuple[str, float]], number: int) -> None:
    """One block: its modes first, then its motion."""
    values: dict[str, float] = {}
    dwell = changed = False
    for letter, value in words:
        code = f"{value:g}"
        if letter == "G":
            if code not in G_KNOWN:
                raise KilnError(f"G{code} is not known here.")
            if code in ("0", "1", "2", "3"):
                machine.motion = code
            elif code in ("20", "21"):
                machine.scale = MM_PER_INCH if code == "20" else 1.0
            elif code in ("90", "91"):
                machine.relative = code == "91"
            elif code in ("93", "94"):
                machine.inverse = code == "93"
            elif code == "80":
                machine.motion = ""
            dwell |= code == "4"
        elif letter == "M":
            if code not in M_KNOWN:
                raise KilnError(f"M{code} is not known here.")
            changed |= code == "6"
            machine.ended |= code in ("2", "30")
        elif letter == "T":
            machine.next_tool = int(value)
        elif letter == "F":
            machine.feed = value if machine.inverse else value * machine.scale
        elif letter in "XYZIJKRP" or (letter == "A" and machine.radius > 0):
            if letter in values:
                raise KilnError(f"{letter} stands twice in one line.")
            values[letter] = value
        elif letter not in "NS":
            raise KilnError(
                f"{letter} is not known here; only three axes are, and A where a comment tells of it."
            )
    if changed:  # its T may stand before or after it in the block
        machine.tool, machine.changes = machine.next_tool, machine.changes + 1
    if dwell:
        machine.dwell += values.pop("P", 0.0)
        return
    _move(machine, values, number)


def _move(machine: _Machine, values: dict[str, float], number: int) -> None:
    if "A" in values:  # degrees: how far round that is
        if "Y" in values or machine.motion in ("2", "3"):
            raise KilnError("A goes with X and Z, in straight moves.")
        round_it = np.radians(values.pop("A")) * machine.radius
        values["Y"] = float(round_it) / machine.scale
    if not any(axis in values for axis in AXES):
        if values and machine.motion not in ("2", "3"):
            raise KilnError(f"{', '.join(values)} without a motion that takes it.")
        if not values:
            return
    if not machine.motion:
        raise KilnError("There is no motion (G0 to G3) for these places.")
    to = list(machine.here)
    for k, axis in enumerate(AXES):
        if axis in values:
            place = values[axis] * machine.scale
            to[k] = machine.here[k] + place if machine.relative else place
    if machine.motion != "0" and machine.feed <= 0:
        raise KilnError("There is no feed (F) for a cut.")
    if machine.motion in ("0", "1"):
        told = machine.feed
        if machine.inverse:
            machine.feed *= math.dist(to, machine.here)
        machine.go((to[0], to[1], to[2]), number, rapid=machine.motion == "0")
        machine.feed = told
        return
    for x, y, z in _arc(machine, values, np.array(to)).tolist():
        machine.go((x, y, z), number, rapid=False)


def _arc(machine: _Machine, values: dict[str, float], to: Array) -> Array:
    """Points of an arc in the X-Y plane from where the machine is, the last its end, (n, 3)."""
    start, clockwise = np.array(machine.here), machine.motion == "2"
    if "R" in values:
        radius = values["R"] * machine.scale
        chord = to[:2] - start[:2]
        far = float(np.linalg.norm(chord))
        if far < 1e-9 or abs(radius) < far / 2 - CLOSES_MM:
            raise KilnError("The arc's radius does not reach from its start to its end.")
        high = np.sqrt(max(radius**2 - far**2 / 4, 0.0))
        left = np.array([-chord[1], chord[0]]) / far
        # R above zero is the shorter way round
        side = -1.0 if clockwise is (radius > 0) else 1.0
        middle = start[:2] + chord / 2 + side * high * left
    elif "I" in values or "J" in values:
        middle = start[:2] + np.array([values.get("I", 0.0), values.get("J", 0.0)]) * machine.scale
    else:
        raise KilnError("An arc needs its middle (I, J) or its radius (R).")
    first, last = start[:2] - middle, to[:2] - middle
    radius = float(np.linalg.norm(first))
    if abs(radius - float(np.linalg.norm(last))) > CLOSES_MM:
        raise KilnError(
            f"The arc does not close: its end is {abs(radius - np.linalg.norm(last)):.3f} mm off."
        )
    begin, end = (float(np.arctan2(v[1], v[0])) for v in (first, last))
    sweep = (end - begin) % (2 * np.pi)
    if clockwise:
        sweep -= 2 * np.pi
        sweep = sweep if sweep < -1e-9 else -2 * np.pi
    elif sweep < 1e-9:
        sweep = 2 * np.pi
    if clockwise and abs(sweep + 2 * np.pi) < 1e-9 and np.linalg.norm(first - last) > 1e-9:
        sweep = 0.0
    step = 2 * np.arccos(max(1 - ARC_MM / max(radius, ARC_MM), -1.0))
    count = max(int(np.ceil(abs(sweep) / max(step, 1e-3))), 1)
    share = np.arange(1, count + 1) / count
    angle = begin + sweep * share
    points = np.column_stack(
        [
            middle[0] + radius * np.cos(angle),
            middle[1] + radius * np.sin(angle),
            start[2] + (to[2] - start[2]) * share,
        ]
    )
    points[-1] = to
    return points
