"""Jobs of the observatory's bench and shelves: logbook, lens brush, signet, paperweight."""

from __future__ import annotations

from pathlib import Path

from kilnchisel.core.blanks.meshfile import mesh_of_file
from kilnchisel.core.job.boards import Book
from kilnchisel.core.job.bodies import Handle, Signet
from kilnchisel.core.job.crafts import Engraved, Pressed
from kilnchisel.core.job.finish import AsBlank, Brass, Cloth, Gold, Ink, Paper, Slate, Wear, Wood
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import ShippedFace, Wording

ARTWORK = Path(__file__).parent / "artwork"
GILT = Ink(colour="#c9a24c", gloss=78, effect="metallic")


def words(text: str, face: str, cap: float, **more: object) -> Wording:
    """Words in a shipped face, capitals so many mm high."""
    return Wording.model_validate(
        {"text": text, "face": ShippedFace(name=face), "cap_height_mm": cap, **more}
    )


def logbook() -> Job:
    """The observers' logbook: cloth boards, letters pressed in, the spine lettered lengthwise."""
    return Job(
        name="Observers' logbook",
        blank=Book(width_mm=168, height_mm=236, thickness_mm=34),
        finish=Cloth(colour="#2c3c52"),
        rim_finish=Cloth(colour="#2c3c52"),
        detail_finish=Paper(),
        wear=Wear(rubbed=8, noise=1.5),
        letterings=(
            Lettering(
                content=words(
                    "OBSERVERS'\nLOGBOOK", "cinzel-bold", 13, letter_spacing_mm=0.8, row_spacing=170
                ),
                lay=Lay(side="front cover", along_mm=6, across_mm=42),
                craft=Pressed(depth_mm=0.6, soft_mm=0.5),
                finish=GILT,
            ),
            Lettering(
                content=words("Tarnlight", "pacifico", 9),
                lay=Lay(side="front cover", along_mm=6, across_mm=-62),
                craft=Pressed(depth_mm=0.5, soft_mm=0.4),
                finish=GILT,
            ),
            Lettering(
                content=words("NIGHTS 1 – 365", "league-spartan-bold", 6.5, letter_spacing_mm=0.8),
                lay=Lay(side="spine", turn_deg=-90, across_mm=0, along_mm=-3),
                craft=Pressed(depth_mm=0.4, soft_mm=0.3),
                finish=GILT,
            ),
        ),
    )


def lens_brush() -> Job:
    """The lens brush: a turned handle, foil stamped along its side."""
    return Job(
        name="Lens brush",
        blank=Handle(length_mm=120, widest_mm=26, neck_mm=15, end_mm=20, bend_deg=9, head="brush"),
        finish=Wood(colour="#9a6a3e", gloss=60),
        rim_finish=Brass(polish="polished"),
        detail_finish=Paper(colour="#2f2a25"),
        letterings=(
            Lettering(
                content=words("TARNLIGHT OPTICS", "cinzel-bold", 4.6, letter_spacing_mm=0.4),
                lay=Lay(side="front", along_mm=-4, across_mm=3.0, both=True),
                craft=Pressed(depth_mm=0.3, soft_mm=0.18, swell=8),
                finish=Gold(polish="satin", carat=24),
            ),
            Lettering(
                content=words("dry glass only", "pacifico", 3.4),
                lay=Lay(side="front", along_mm=-4, across_mm=-3.0),
                craft=Pressed(depth_mm=0.25, soft_mm=0.15, swell=8),
                finish=Gold(polish="satin", carat=24),
            ),
        ),
    )


def night_signet() -> Job:
    """A signet ring with the observatory's initials."""
    return Job(
        name="Director's signet",
        blank=Signet(),
        finish=Gold(polish="satin"),
        rim_finish=Gold(polish="polished"),
        letterings=(
            Lettering(
                content=words("TO", "cinzel-bold", 4.4, letter_spacing_mm=0.3),
                lay=Lay(side="head", across_mm=-2.2),
                craft=Engraved(depth_mm=0.35, darkened=75),
                finish=AsBlank(),
            ),
        ),
    )


def tarn_stone() -> Job:
    """A stone from the tarn, scanned, engraved where it bulges."""
    blank = mesh_of_file(ARTWORK / "tarn-stone.stl").blank(1.0, "z")
    return Job(
        name="Tarn stone",
        blank=blank,
        finish=Slate(oiled=45),
        rim_finish=Slate(),
        letterings=(
            Lettering(
                content=words("TARNLIGHT", "cinzel-bold", 9, letter_spacing_mm=0.6),
                lay=Lay(side="any spot", spot=(4.0, -30.0, 45.0)),
                craft=Engraved(depth_mm=1.0, darkened=0),
                finish=Ink(colour="#e9e0c8", gloss=20),
            ),
            Lettering(
                content=words("found below the dome", "pacifico", 5),
                lay=Lay(side="any spot", spot=(4.0, -30.0, 45.0), across_mm=-14),
                craft=Engraved(depth_mm=0.7, darkened=0),
                finish=Ink(colour="#e9e0c8", gloss=20),
            ),
        ),
    )


JOBS = {
    "observers-logbook": logbook,
    "lens-brush": lens_brush,
    "directors-signet": night_signet,
    "tarn-stone": tarn_stone,
}
