"""Jobs of the Tarnlight Observatory's gift counter and grounds. The observatory is invented."""

from __future__ import annotations

from pathlib import Path

from kilnchisel.core.job.blank import Mug, Plaque
from kilnchisel.core.job.file import save_job
from kilnchisel.core.job.finish import Brass, Enamel, Ink, Slate
from kilnchisel.core.job.lettering import (
    Engraved,
    Lay,
    Lettering,
    Printed,
    Raised,
)
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.setting import Camera, Ground, KeyLight, Light, Setting
from kilnchisel.core.job.wording import ShippedFace, Wording

FOLDER = Path(__file__).parent
MIDNIGHT, RUST = "#22345f", "#b0512f"


def night_crew_mug() -> Job:
    """An enamel mug with rows in three faces."""

    def row(text: str, face: str, cap: float, up: float, colour: str, spacing: float = 0.0) -> Lettering:
        return Lettering(
            wording=Wording(
                text=text, face=ShippedFace(name=face), cap_height_mm=cap, letter_spacing_mm=spacing
            ),
            lay=Lay(side="outside", along_mm=6.0, across_mm=up),
            craft=Printed(),
            finish=Ink(colour=colour),
        )

    return Job(
        name="Night-crew mug",
        blank=Mug(),
        finish=Enamel(colour="#ece2cb", gloss=86),
        rim_finish=Enamel(colour="#1b2747", gloss=90),
        letterings=(
            row("TARNLIGHT", "cinzel-bold", 9.0, 49.0, MIDNIGHT, 0.6),
            row("hill observatory", "pacifico", 6.0, 33.0, RUST),
            row("EST. ON A CLEAR NIGHT", "league-spartan-bold", 2.9, 20.5, MIDNIGHT, 0.7),
        ),
        setting=Setting(
            light=Light(room="daylight", key=KeyLight(strength=52, turn_deg=-70, tilt_deg=38)),
            ground=Ground(kind="oak table"),
            camera=Camera(turn_deg=12, tilt_deg=17, distance_mm=470, lens_mm=75, rise_mm=-2),
        ),
    )


def trail_slate() -> Job:
    """A slate plaque, engraved, lying on an oak bench."""
    return Job(
        name="Dome path slate",
        blank=Plaque(width_mm=260, height_mm=150, thickness_mm=14, edge_round_mm=1.6, corner_mm=3),
        finish=Slate(oiled=30),
        rim_finish=Slate(oiled=10),
        letterings=(
            Lettering(
                wording=Wording(
                    text="DOME PATH",
                    face=ShippedFace(name="cinzel-bold"),
                    cap_height_mm=24,
                    letter_spacing_mm=1.2,
                ),
                lay=Lay(side="front", across_mm=23),
                craft=Engraved(depth_mm=1.6, darkened=0),
                finish=Enamel(colour="#e9e3d4", gloss=20),
            ),
            Lettering(
                wording=Wording(
                    text="Dim your lamp from here on.\nThe stars will do the rest.",
                    face=ShippedFace(name="eb-garamond"),
                    cap_height_mm=9.5,
                    row_spacing=185,
                ),
                lay=Lay(side="front", across_mm=-31),
                craft=Engraved(depth_mm=0.9, darkened=0),
                finish=Enamel(colour="#e9e3d4", gloss=20),
            ),
        ),
        setting=Setting(
            light=Light(room="daylight", key=KeyLight(strength=44, turn_deg=-70, tilt_deg=34, size_mm=300)),
            ground=Ground(kind="oak table"),
            camera=Camera(turn_deg=-14, tilt_deg=54, distance_mm=720, lens_mm=62),
        ),
    )


def first_light_brass() -> Job:
    """A cast brass plaque on a plastered wall: dark ground, raised letters."""
    return Job(
        name="First-light brass",
        blank=Plaque(shape="oval", width_mm=240, height_mm=160, thickness_mm=8, edge_round_mm=2.5),
        finish=Enamel(colour="#232b28", gloss=45),
        rim_finish=Brass(polish="satin"),
        letterings=(
            Lettering(
                wording=Wording(
                    text="FIRST LIGHT",
                    face=ShippedFace(name="cinzel-bold"),
                    cap_height_mm=20,
                    letter_spacing_mm=1.0,
                ),
                lay=Lay(side="front", across_mm=14),
                craft=Raised(height_mm=1.6),
                finish=Brass(polish="satin"),
            ),
            Lettering(
                wording=Wording(
                    text="TARNLIGHT OBSERVATORY\n9 OCTOBER 1931",
                    face=ShippedFace(name="league-spartan-bold"),
                    cap_height_mm=8,
                    letter_spacing_mm=1.1,
                    row_spacing=190,
                ),
                lay=Lay(side="front", across_mm=-24),
                craft=Raised(height_mm=1.2),
                finish=Brass(polish="satin"),
            ),
        ),
        setting=Setting(
            light=Light(
                room="workshop", turn_deg=-12, key=KeyLight(strength=42, turn_deg=-48, tilt_deg=48)
            ),
            ground=Ground(kind="plaster", colour="#cfc8ba"),
            stance="hung",
            camera=Camera(turn_deg=18, tilt_deg=8, distance_mm=640, lens_mm=70),
        ),
    )


JOBS = {
    "night-crew-mug": night_crew_mug,
    "dome-path-slate": trail_slate,
    "first-light-brass": first_light_brass,
}


def write_jobs(previews: dict[str, bytes]) -> None:
    """Write the demo job files beside this module."""
    for stem, make in JOBS.items():
        save_job(make(), FOLDER / f"{stem}.kcj", previews.get(stem))
