"""Jobs of the observatory's cloakroom and shop: shirts, cap, bag."""

from __future__ import annotations

from demo.bench import words
from kilnchisel.core.job.bodies import Apparel, PeakedCap, ToteBag
from kilnchisel.core.job.crafts import Embroidered, Printed
from kilnchisel.core.job.finish import Cloth, Ink
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Circle


def crew_shirt() -> Job:
    """The night crew's shirt, worn: chest, back, sleeve, and the size inside the neck."""
    pale = Ink(colour="#efe6cf", gloss=25)
    printed = Printed(film_mm=0.08)
    return Job(
        name="Crew shirt",
        blank=Apparel(size="L"),
        finish=Cloth(colour="#27324e", weave="cotton"),
        rim_finish=Cloth(colour="#222c46", weave="cotton"),
        detail_finish=Cloth(colour="#3a4666", weave="cotton"),
        letterings=(
            Lettering(
                content=words(
                    "TARNLIGHT NIGHT CREW",
                    "league-spartan-bold",
                    19,
                    letter_spacing_mm=2.4,
                    arrangement=Circle(radius_mm=98),
                ),
                lay=Lay(side="front", across_mm=76),
                craft=printed,
                finish=pale,
            ),
            Lettering(
                content=words("eyes up", "pacifico", 30),
                lay=Lay(side="front", across_mm=96),
                craft=printed,
                finish=Ink(colour="#d98a3d", gloss=25),
            ),
            Lettering(
                content=words("NIGHT\nCREW", "league-spartan-bold", 64, letter_spacing_mm=5),
                lay=Lay(side="back", across_mm=92),
                craft=printed,
                finish=pale,
            ),
            Lettering(
                content=words("DOME 2", "league-spartan-bold", 12, letter_spacing_mm=1),
                lay=Lay(side="left sleeve", across_mm=-42),
                craft=printed,
                finish=Ink(colour="#d98a3d", gloss=25),
            ),
            Lettering(
                content=words("TARNLIGHT\nL", "league-spartan-bold", 5.4, letter_spacing_mm=0.6),
                lay=Lay(side="neck inside", across_mm=2),
                craft=Printed(film_mm=0.02),
                finish=pale,
            ),
        ),
    )


def crew_cap() -> Job:
    """The crew's cap: a name embroidered in front, the dome's number printed on the peak."""
    film = Printed(film_mm=0.1)
    return Job(
        name="Crew cap",
        blank=PeakedCap(),
        finish=Cloth(colour="#2b3a33", weave="cotton"),
        rim_finish=Cloth(colour="#232f29", weave="cotton"),
        detail_finish=Cloth(colour="#9a8f6b", weave="cotton"),
        letterings=(
            Lettering(
                content=words("TARNLIGHT", "league-spartan-bold", 12, letter_spacing_mm=1.2),
                lay=Lay(side="front", across_mm=48),
                craft=Embroidered(),
                finish=Ink(colour="#e8dcbc", gloss=20),
            ),
            Lettering(
                content=words("night crew", "pacifico", 9.5),
                lay=Lay(side="front", across_mm=27),
                craft=Embroidered(),
                finish=Ink(colour="#d98a3d", gloss=20),
            ),
            Lettering(
                content=words("DOME 2", "league-spartan-bold", 6, letter_spacing_mm=0.8),
                lay=Lay(side="peak", across_mm=-40),
                craft=film,
                finish=Ink(colour="#9fae9f", gloss=20),
            ),
        ),
    )


def shop_tote() -> Job:
    """The gift shop's canvas bag, hanging from a peg."""
    ink = Ink(colour="#22345f", gloss=12)
    return Job(
        name="Shop tote",
        blank=ToteBag(),
        finish=Cloth(colour="#d8ceb8", weave="canvas"),
        rim_finish=Cloth(colour="#d2c7af", weave="canvas"),
        detail_finish=Cloth(colour="#efe9da", weave="cotton"),
        letterings=(
            Lettering(
                content=words("eyes up", "pacifico", 62),
                lay=Lay(side="front", across_mm=34),
                craft=Printed(film_mm=0.08),
                finish=ink,
            ),
            Lettering(
                content=words("TARNLIGHT OBSERVATORY", "league-spartan-bold", 11, letter_spacing_mm=2.2),
                lay=Lay(side="front", across_mm=-34),
                craft=Printed(film_mm=0.08),
                finish=ink,
            ),
        ),
    )


def shop_shirt() -> Job:
    """A shirt of the shop, folded as it lies on the shelf."""
    return Job(
        name="Shop shirt",
        blank=Apparel(size="M", shown="folded"),
        finish=Cloth(colour="#b9b4a8", weave="cotton"),
        rim_finish=Cloth(colour="#b3aea2", weave="cotton"),
        detail_finish=Cloth(colour="#8e897d", weave="cotton"),
        letterings=(
            Lettering(
                content=words("TARNLIGHT\nOBSERVATORY", "cinzel-bold", 13, letter_spacing_mm=0.8),
                lay=Lay(side="front", across_mm=176),
                craft=Printed(film_mm=0.08),
                finish=Ink(colour="#2a3350", gloss=20),
            ),
        ),
    )


JOBS = {
    "crew-shirt": crew_shirt,
    "crew-cap": crew_cap,
    "shop-tote": shop_tote,
    "shop-shirt": shop_shirt,
}
