"""The Unicode bidirectional algorithm: which way each letter of a row runs (UAX #9, version 15).

Explicit embeddings and isolates (X1 to X10), weak and neutral types (W1 to W7, N0 to N2), implicit
levels (I1, I2) and the order for display (L1, L2). Rule names in comments are those of the annex.
"""

from __future__ import annotations

import unicodedata
from bisect import insort
from collections.abc import Sequence
from functools import cache

DEEPEST = 125
REMOVED = frozenset({"RLE", "LRE", "RLO", "LRO", "PDF", "BN"})
ISOLATES = frozenset({"LRI", "RLI", "FSI"})
NEUTRAL = frozenset({"B", "S", "WS", "ON", "FSI", "LRI", "RLI", "PDI"})
# pairs whose names do not differ by LEFT and RIGHT alone
PAIRED_OTHERWISE = (
    (0x0F3A, 0x0F3B),
    (0x0F3C, 0x0F3D),
    (0x169B, 0x169C),
    (0x2993, 0x2994),
    (0x2995, 0x2996),
)
MOST_BRACKETS = 63


def levels(text: str, base: int | None = None) -> tuple[list[int | None], int]:
    """Embedding level of each character (None where the algorithm removes it) and of the paragraph.

    ``base``: 0 left to right, 1 right to left, None by the first strong character (P2, P3).
    """
    classes = [unicodedata.bidirectional(c) or "L" for c in text]
    return levels_of(classes, base, text)


def levels_of(
    classes: Sequence[str], base: int | None = None, text: str = ""
) -> tuple[list[int | None], int]:
    """As ``levels``, from bidi classes; ``text`` is needed for pairs of brackets only."""
    matching = _matching(classes)
    paragraph = _first_strong(classes, matching, 0, len(classes)) if base is None else base
    level, types = _explicit(classes, matching, paragraph)
    kept = [i for i, name in enumerate(classes) if name not in REMOVED]
    explicit = list(level)
    for sequence in _sequences(kept, classes, explicit, matching):
        _resolve(sequence, types, explicit, level, paragraph, text, classes, matching)
    result: list[int | None] = [None if c in REMOVED else level[i] for i, c in enumerate(classes)]
    _reset_whitespace(classes, result, paragraph)
    return result, paragraph


def visual_order(levels_: Sequence[int]) -> list[int]:
    """Indices from left to right of items with these levels (L2)."""
    order = list(range(len(levels_)))
    if not levels_:
        return order
    odd = [level for level in levels_ if level % 2]
    for level in range(max(levels_), min(odd, default=max(levels_) + 1) - 1, -1):
        start = 0
        while start < len(order):
            if levels_[order[start]] < level:
                start += 1
                continue
            end = start
            while end < len(order) and levels_[order[end]] >= level:
                end += 1
            order[start:end] = order[start:end][::-1]
            start = end
    return order


def _matching(classes: Sequence[str]) -> dict[int, int]:
    """Isolate initiators and the PDI that closes each, both ways (BD9)."""
    found: dict[int, int] = {}
    stack: list[int] = []
    for i, name in enumerate(classes):
        if name in ISOLATES:
            stack.append(i)
        elif name == "PDI" and stack:
            start = stack.pop()
            found[start], found[i] = i, start
    return found


def _first_strong(classes: Sequence[str], matching: dict[int, int], start: int, end: int) -> int:
    """P2 and P3: the level of the first strong type outside isolates."""
    i = start
    while i < end:
        name = classes[i]
        if name == "L":
            return 0
        if name in ("R", "AL"):
            return 1
        if name in ISOLATES:
            i = matching.get(i, end)
        i += 1
    return 0


def _explicit(
    classes: Sequence[str], matching: dict[int, int], paragraph: int
) -> tuple[list[int], list[str]]:
    """X1 to X8: levels and types after explicit directional characters."""
    level = [paragraph] * len(classes)
    types = list(classes)
    stack: list[tuple[int, str, bool]] = [(paragraph, "", False)]
    over_isolates = over_embeddings = valid = 0
    for i, name in enumerate(classes):
        here, override, _ = stack[-1]
        level[i] = here
        if name in ("RLE", "LRE", "RLO", "LRO"):
            deeper = (here + 1) | 1 if name[0] == "R" else (here + 2) & ~1
            if deeper <= DEEPEST and not over_isolates and not over_embeddings:
                stack.append((deeper, {"RLO": "R", "LRO": "L"}.get(name, ""), False))
            elif not over_isolates:
                over_embeddings += 1
        elif name in ISOLATES:
            types[i] = override or name
            right = name == "RLI" or (
                name == "FSI"
                and _first_strong(classes, matching, i + 1, matching.get(i, len(classes))) == 1
            )
            deeper = (here + 1) | 1 if right else (here + 2) & ~1
            if deeper <= DEEPEST and not over_isolates and not over_embeddings:
                valid += 1
                stack.append((deeper, "", True))
            else:
                over_isolates += 1
        elif name == "PDI":
            if over_isolates:
                over_isolates -= 1
            elif valid:
                over_embeddings = 0
                while not stack[-1][2]:
                    stack.pop()
                stack.pop()
                valid -= 1
            level[i] = stack[-1][0]
            types[i] = stack[-1][1] or name
        elif name == "PDF":
            if over_isolates:
                continue
            if over_embeddings:
                over_embeddings -= 1
            elif not stack[-1][2] and len(stack) > 1:
                stack.pop()
        elif name == "B":
            level[i] = paragraph
        elif name != "BN":
            types[i] = override or name
    return level, types


def _sequences(
    kept: Sequence[int], classes: Sequence[str], level: Sequence[int], matching: dict[int, int]
) -> list[list[int]]:
    """Isolating run sequences (BD13): level runs joined across matching isolates."""
    runs: list[list[int]] = []
    for i in kept:
        if runs and level[runs[-1][-1]] == level[i]:
            runs[-1].append(i)
        else:
            runs.append([i])
    starts = {run[0]: run for run in runs}
    sequences = []
    for run in runs:
        if classes[run[0]] == "PDI" and run[0] in matching:
            continue  # it goes on from its initiator
        whole = list(run)
        while classes[whole[-1]] in ISOLATES and whole[-1] in matching:
            whole += starts[matching[whole[-1]]]
        sequences.append(whole)
    return sequences


def _resolve(
    sequence: list[int],
    types: list[str],
    explicit: Sequence[int],
    level: list[int],
    paragraph: int,
    text: str,
    classes: Sequence[str],
    matching: dict[int, int],
) -> None:
    """W1 to W7, N0 to N2, I1 and I2 on one isolating run sequence; the result goes into ``level``."""
    here = explicit[sequence[0]]
    before = _neighbour(sequence[0], -1, classes, explicit, paragraph)
    open_isolate = classes[sequence[-1]] in ISOLATES and sequence[-1] not in matching
    after = paragraph if open_isolate else _neighbour(sequence[-1], 1, classes, explicit, paragraph)
    start, end = ("R" if max(here, other) % 2 else "L" for other in (before, after))
    kinds = [types[i] for i in sequence]
    own = "R" if here % 2 else "L"
    _weak(kinds, start)
    if text:
        _brackets(kinds, sequence, text, classes, own, start)
    _neutral(kinds, own, start, end)
    for i, kind in zip(sequence, kinds, strict=True):
        if here % 2 == 0:
            level[i] = here + {"R": 1, "AN": 2, "EN": 2}.get(kind, 0)
        else:
            level[i] = here + (1 if kind in ("L", "AN", "EN") else 0)


def _neighbour(i: int, step: int, classes: Sequence[str], level: Sequence[int], paragraph: int) -> int:
    """The level of the nearest character that is not removed, the paragraph's beyond the ends (X10)."""
    i += step
    while 0 <= i < len(classes):
        if classes[i] not in REMOVED:
            return level[i]
        i += step
    return paragraph


def _weak(kinds: list[str], start: str) -> None:
    previous = start
    for i, kind in enumerate(kinds):  # W1
        if kind == "NSM":
            kinds[i] = "ON" if previous in ISOLATES or previous == "PDI" else previous
        previous = kinds[i]
    strong = start
    for i, kind in enumerate(kinds):  # W2
        if kind in ("L", "R", "AL"):
            strong = kind
        elif kind == "EN" and strong == "AL":
            kinds[i] = "AN"
    for i, kind in enumerate(kinds):  # W3
        if kind == "AL":
            kinds[i] = "R"
    for i in range(1, len(kinds) - 1):  # W4
        left, right = kinds[i - 1], kinds[i + 1]
        if left == right and (
            (kinds[i] == "ES" and left == "EN") or (kinds[i] == "CS" and left in ("EN", "AN"))
        ):
            kinds[i] = left
    i = 0
    while i < len(kinds):  # W5
        if kinds[i] != "ET":
            i += 1
            continue
        end = i
        while end < len(kinds) and kinds[end] == "ET":
            end += 1
        if (i > 0 and kinds[i - 1] == "EN") or (end < len(kinds) and kinds[end] == "EN"):
            kinds[i:end] = ["EN"] * (end - i)
        i = end
    strong = start
    for i, kind in enumerate(kinds):
        if kind in ("ES", "ET", "CS"):  # W6
            kinds[i] = "ON"
        elif kind in ("L", "R"):
            strong = kind
        elif kind == "EN" and strong == "L":  # W7
            kinds[i] = "L"


def _brackets(
    kinds: list[str], sequence: Sequence[int], text: str, classes: Sequence[str], own: str, start: str
) -> None:
    """N0: pairs of brackets take one direction together."""
    for opening, closing in _pairs(kinds, sequence, text):
        inside = {_strong(kinds[i]) for i in range(opening + 1, closing)}
        if own in inside:
            direction = own
        elif inside & {"L", "R"}:
            context = next(
                (s for i in range(opening - 1, -1, -1) if (s := _strong(kinds[i])) in ("L", "R")), start
            )
            other = "L" if own == "R" else "R"
            direction = other if context == other else own
        else:
            continue
        for i in (opening, closing):
            kinds[i] = direction
            i += 1
            while i < len(kinds) and classes[sequence[i]] == "NSM":  # marks follow their bracket
                kinds[i] = direction
                i += 1


def _pairs(kinds: Sequence[str], sequence: Sequence[int], text: str) -> list[tuple[int, int]]:
    """BD16: places of matching brackets, by their opening one."""
    found: list[tuple[int, int]] = []
    stack: list[tuple[str, int]] = []
    table = bracket_table()
    for place, i in enumerate(sequence):
        entry = table.get(text[i]) if kinds[place] == "ON" else None
        if entry is None:
            continue
        partner, opens = entry
        if opens:
            if len(stack) == MOST_BRACKETS:
                return []
            stack.append((partner, place))
            continue
        for depth in range(len(stack) - 1, -1, -1):
            if stack[depth][0] == _canonical(text[i]):
                insort(found, (stack[depth][1], place))
                del stack[depth:]
                break
    return found


def _strong(kind: str) -> str:
    return "R" if kind in ("EN", "AN") else kind


def _neutral(kinds: list[str], own: str, start: str, end: str) -> None:
    """N1 and N2."""
    i = 0
    while i < len(kinds):
        if kinds[i] not in NEUTRAL:
            i += 1
            continue
        stop = i
        while stop < len(kinds) and kinds[stop] in NEUTRAL:
            stop += 1
        left = start if i == 0 else _strong(kinds[i - 1])
        right = end if stop == len(kinds) else _strong(kinds[stop])
        kinds[i:stop] = [left if left == right else own] * (stop - i)
        i = stop


def _reset_whitespace(classes: Sequence[str], result: list[int | None], paragraph: int) -> None:
    """L1: separators, and white space before them or at the end, stand at the paragraph's level."""
    trailing = True
    for i in range(len(classes) - 1, -1, -1):
        name = classes[i]
        if name in ("B", "S"):
            trailing = True
            result[i] = paragraph
        elif name in REMOVED:
            continue
        elif trailing and (name == "WS" or name in ISOLATES or name == "PDI"):
            result[i] = paragraph
        else:
            trailing = False


def _canonical(character: str) -> str:
    return unicodedata.normalize("NFD", character)


@cache
def bracket_table() -> dict[str, tuple[str, bool]]:
    """Each paired bracket: the canonical form of its partner, and whether it opens.

    Derived from names and properties, as BidiBrackets.txt is: general category Ps or Pe, mirrored,
    class ON.
    """
    table: dict[str, tuple[str, bool]] = {}
    for code in range(0x10000):
        c = chr(code)
        if not (
            unicodedata.category(c) == "Ps"
            and unicodedata.mirrored(c)
            and unicodedata.bidirectional(c) == "ON"
        ):
            continue
        try:
            partner = unicodedata.lookup(unicodedata.name(c).replace("LEFT", "RIGHT"))
        except (KeyError, ValueError):
            continue
        if partner != c:
            table[c], table[partner] = (_canonical(partner), True), (_canonical(c), False)
    for opening, closing in PAIRED_OTHERWISE:
        table[chr(opening)], table[chr(closing)] = (chr(closing), True), (chr(opening), False)
    return table
