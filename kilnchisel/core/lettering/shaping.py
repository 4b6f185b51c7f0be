"""One row of text to glyphs, by HarfBuzz: kerning, ligatures, joining, marks, in runs of one script."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import uharfbuzz as hb

from kilnchisel.core.job.wording import Features
from kilnchisel.core.lettering.faces import LoadedFace
from kilnchisel.core.lettering.runs import Run, runs_of


@dataclass(frozen=True)
class Glyph:
    """A glyph and its place from the start of its cluster, font units."""

    glyph: int
    x: float
    y: float


@dataclass(frozen=True)
class Cluster:
    """Glyphs that stand for one or more characters and cannot be taken apart.

    ``at``: the index of the first character in the row; ``advance`` font units; ``rightward``: the
    direction it is read in; ``joined``: it hangs together with its neighbours.
    """

    at: int
    glyphs: tuple[Glyph, ...]
    advance: float
    rightward: bool
    joined: bool


@dataclass(frozen=True)
class ShapedRow:
    """A shaped row: clusters from left to right, and characters the face lacks."""

    text: str
    clusters: tuple[Cluster, ...]
    missing: tuple[str, ...]

    @property
    def advance(self) -> float:
        """The whole advance, font units."""
        return sum(cluster.advance for cluster in self.clusters)


def shape_row(
    face: LoadedFace,
    text: str,
    features: Features | None = None,
    direction: str = "by the words",
    apart: tuple[int, ...] = (),
    *,
    kerning: bool = True,
    spaced: bool = False,
) -> ShapedRow:
    """Shape one row. ``spaced`` letters form no ligatures, as each stands alone, and neither do those
    at the places ``apart``, which are treated by themselves."""
    if not text:
        return ShapedRow(text, (), ())
    return _shaped(
        face, text, features or Features(), kerning=kerning, direction=direction, spaced=spaced, apart=apart
    )


@lru_cache(maxsize=512)
def _shaped(
    face: LoadedFace,
    text: str,
    features: Features,
    direction: str,
    apart: tuple[int, ...],
    *,
    kerning: bool,
    spaced: bool,
) -> ShapedRow:
    switches: dict[str, Any] = dict(feature_switches(features, kerning=kerning, spaced=spaced))
    if apart and switches["liga"]:
        # a ligature goes through the letter before as well
        off = [(max(i - 1, 0), i + 1, False) for i in apart]
        switches["liga"] = switches["clig"] = [(0, len(text), True), *off]
    clusters: list[Cluster] = []
    missing: list[str] = []
    for run in runs_of(text, direction):
        found, lacked = _shape_run(face, text, run, switches)
        clusters += found
        missing += [c for c in lacked if c not in missing]
    missing.sort(key=text.index)
    return ShapedRow(text, tuple(clusters), tuple(missing))


def feature_switches(features: Features, *, kerning: bool, spaced: bool) -> dict[str, bool]:
    """OpenType features to switch on or off (OpenType feature tags)."""
    joined = features.ligatures and not spaced
    switches = {"kern": kerning, "liga": joined, "clig": joined}
    if features.small_capitals:
        switches["smcp"] = True
    if features.figures != "as drawn":
        switches["lnum" if features.figures == "lining" else "onum"] = True
    switches.update(dict.fromkeys(features.alternates, True))
    return switches


def _shape_run(
    face: LoadedFace, text: str, run: Run, switches: dict[str, Any]
) -> tuple[list[Cluster], list[str]]:
    buffer = hb.Buffer()
    # the whole row is given, so that letters join across the ends of runs as they should
    buffer.add_str(text, run.start, run.end - run.start)
    buffer.direction = "ltr" if run.rightward else "rtl"
    buffer.script = run.script
    buffer.guess_segment_properties()
    with face.lock:
        hb.shape(face.font, buffer, switches)
    clusters: list[Cluster] = []
    missing: list[str] = []
    group: list[tuple[Any, Any]] = []

    def close() -> None:
        if not group:
            return
        glyphs, x = [], 0.0
        for info, position in group:
            glyphs.append(Glyph(info.codepoint, x + position.x_offset, float(position.y_offset)))
            x += position.x_advance
        clusters.append(Cluster(group[0][0].cluster, tuple(glyphs), x, run.rightward, run.joined))

    for info, position in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
        if group and group[0][0].cluster != info.cluster:
            close()
            group = []
        group.append((info, position))
        character = text[info.cluster]
        lacking = info.codepoint == 0 or ord(character) in face.blank_letters
        if lacking and character not in missing:
            missing.append(character)
    close()
    return clusters, missing
