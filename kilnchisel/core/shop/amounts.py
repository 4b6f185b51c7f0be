"""What a job takes of its materials: amounts, weights, and what they cost at a shop's own rates."""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TypeVar

from kilnchisel.core.blanks.body import MAIN
from kilnchisel.core.build import laids_of, piece_of
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.crafts.stitching import threads_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake.gate import bytes_of
from kilnchisel.core.job.crafts import Embroidered, Printed, Standing, WovenPatch
from kilnchisel.core.job.finish import AsBlank
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.traits import traits_of
from kilnchisel.core.job.trims import finishes_of
from kilnchisel.core.job.words.blanks import blank_words
from kilnchisel.core.job.words.finishes import finish_words
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.outline import Layer
from kilnchisel.core.shop.bender import bendings_of, cable_mm, transformers_of
from kilnchisel.core.shop.densities import density_of
from kilnchisel.core.shop.power import lights_of, supplies_w
from kilnchisel.core.shop.volumes import stages_area
from kilnchisel.core.units import format_number

C = TypeVar("C", Printed, Embroidered, WovenPatch, Standing)
SOLID_MM, FOAM = 15.0, 0.2  # what is thicker, and denser in g/cm³, is made as a box: common practice
MOST_BYTES = 2**20
HOUR, WORK = "hour", "work"  # what an hour of the machine, and of a person, is called among rates
HOURS = "h"
MOST_HOURS = 10_000.0


@dataclass(frozen=True)
class Amount:
    """So much of something; ``weight_g`` where it has one that counts."""

    what: str
    number: float
    unit: str
    weight_g: float | None = None

    @property
    def shown(self) -> str:
        """The amount with its unit, to four figures."""
        places = 0 if not self.unit or self.number <= 0 else max(3 - math.floor(math.log10(self.number)), 0)
        return f"{format_number(self.number, min(places, 6))} {self.unit}".strip()


@dataclass(frozen=True)
class Rates:
    """A shop's own prices: by what it is, for one unit of it."""

    currency: str = ""
    prices: dict[str, tuple[float, str]] = field(default_factory=dict)

    def price(self, amount: Amount) -> float | None:
        """What an amount costs; None where there is no rate. Raises KilnError where the rate is for
        another unit."""
        known = self.prices.get(amount.what.lower())
        if known is None and amount.unit == HOURS and amount.what != HOUR:
            known = self.prices.get(WORK)  # what has no rate of its own is work like any other
        if known is None:
            return None
        price, unit = known
        if unit != amount.unit:
            wanted = amount.unit or "one each (no unit)"
            raise KilnError(
                f"The rate of “{amount.what}” is by {unit or 'the piece'}; it is counted in {wanted}."
            )
        return price * amount.number


def read_rates(path: Path) -> Rates:
    """Rates in a CSV file: what, price, unit, a row each ("hour,48,h"); a row "currency,€" says in what.
    Raises KilnError with the row that cannot be read."""
    text = bytes_of(path, MOST_BYTES, "rates").decode("utf-8-sig", "replace")
    first = text.split("\n", 1)[0]
    prices: dict[str, tuple[float, str]] = {}
    currency = ""
    for number, row in enumerate(csv.reader(io.StringIO(text), delimiter=";" if ";" in first else ","), 1):
        cells = [cell.strip() for cell in row]
        if not any(cells):
            continue
        if cells[0].lower() == "currency" and len(cells) > 1:
            currency = cells[1][:8]
            continue
        try:
            price = float(cells[1].replace(",", "."))
        except (IndexError, ValueError):
            if number == 1:
                continue  # the names of columns
            raise KilnError(
                f"Row {number} of {path.name} is no rate; write what, price, unit: hour,48,h"
            ) from None
        if not 0 <= price < 1e9:
            raise KilnError(f"Row {number} of {path.name}: a price is not below nothing.")
        prices[cells[0].lower()] = (price, cells[2] if len(cells) > 2 else "")
    return Rates(currency, prices)


def hours_written(text: str) -> list[Amount]:
    """Work by hand as it is written: "design 1.5h, painting 45min". Raises KilnError with what cannot be
    read."""
    found = []
    for part in (one.strip() for one in re.split(r",(?!\d)|;|\n", text)):
        if not part:
            continue
        read = WORKED.fullmatch(part)
        if read is None:
            raise KilnError(f"“{part[:40]}” says no time; write what it is and how long: painting 1.5h")
        hours = float(read[2].replace(",", ".")) / (1 if read[3].lower().startswith("h") else 60)
        if not 0 < hours <= MOST_HOURS:
            raise KilnError(f"“{part[:40]}” is no time that can be worked.")
        found.append(Amount(read[1].strip(), hours, HOURS))
    return found


WORKED = re.compile(r"(.+?)\s*(\d+(?:[.,]\d+)?)\s*(h|hours?|min|minutes?)", re.IGNORECASE)


def amounts_of(job: Job) -> list[Amount]:
    """The materials of a job. Raises KilnError where something cannot be drawn."""
    makers = (_bought, _solid, _film, _thread, _patches, _glass, _boxes, _light)
    return [amount for made in makers for amount in made(job)]


def _bought(job: Job) -> list[Amount]:
    """A piece that comes whole: a van, a shirt."""
    return [Amount(_plainly(job), 1.0, "")] if traits_of(job.blank).bought else []


def _plainly(job: Job) -> str:
    """What the piece is, in a word or two."""
    return blank_words(job.blank).split(",")[0].lower()


def _solid(job: Job) -> list[Amount]:
    """What is solid, by what it is of: its volume, and weight where that says its density."""
    volumes: dict[str, float] = {}
    finishes: dict[str, Any] = {}
    solids: dict[str, list[Part]] = {}
    for part in piece_of(job).parts:
        solids.setdefault(part.solid, []).append(part)
    for parts in solids.values():
        finish = _finish(job, parts[0])
        if finish is None:
            continue
        words = finish_words(finish)
        finishes[words] = finish
        volumes[words] = volumes.get(words, 0.0) + sum(part.mesh.volume_mm3 for part in parts)
    found = []
    for words, volume in volumes.items():
        density = density_of(finishes[words])
        if volume > 0:
            weight = None if density is None else density * volume / 1000
            found.append(Amount(words, volume / 1000, "cm³", weight))
    return found


def _finish(job: Job, part: Part) -> Any:
    """What a solid is of; None of what is counted otherwise, or is there already."""
    if part.role in ("tube", "blockout", "support", "carrier"):
        return None
    if part.lettering is None:
        if traits_of(job.blank).stays or traits_of(job.blank).bought:
            return None
        if part.solid == MAIN:
            return job.finish
        return finishes_of(job).get(part.role, job.finish)
    lettering = job.letterings[part.lettering]
    if isinstance(lettering.craft, Printed | Embroidered | WovenPatch) or _is_hollow(job, lettering):
        return None
    if part.role in ("blank", "rim", "detail"):
        return job.finish
    layer = part.layer
    finish = layer.finish if layer is not None and layer.finish is not None else lettering.finish
    return finish_worn(job, finish)


def _is_hollow(job: Job, lettering: Lettering) -> bool:
    """Whether standing letters are boxes, of faces and strip, and not cut from the solid."""
    craft = lettering.craft
    if not isinstance(craft, Standing) or craft.thickness_mm <= SOLID_MM:
        return False
    density = density_of(finish_worn(job, lettering.finish))
    return density is None or density > FOAM


def finish_worn(job: Job, finish: Any) -> Any:
    """A finish, or that of the blank where a lettering has none of its own."""
    return job.finish if isinstance(finish, AsBlank) else finish


def _of_craft(job: Job, kind: type[C]) -> Iterator[tuple[Lettering, C, Laid]]:
    """What is made by a craft of this kind, wherever it lies."""
    for index, lettering in enumerate(job.letterings):
        craft = lettering.craft
        if not lettering.hidden and isinstance(craft, kind):
            yield from ((lettering, craft, laid) for laid in laids_of(job, index))


def _film(job: Job) -> list[Amount]:
    """Film and ink by colour, m²."""
    areas: dict[str, float] = {}
    for lettering, craft, laid in _of_craft(job, Printed):
        for layer in laid.layers:
            words = film_words(job, lettering, layer.layer)
            area = stages_area(layer.layer, craft) * len(laid.placing.copies)
            areas[words] = areas.get(words, 0.0) + area
    return [Amount(f"film, {words}", area / 1e6, "m²") for words, area in areas.items() if area > 0]


def film_words(job: Job, lettering: Lettering, layer: Layer) -> str:
    """What the film of a layer of a lettering is called, by its colour."""
    if layer.raster is not None:
        return "printed picture"
    return finish_words(finish_worn(job, layer.finish or lettering.finish))


def _thread(job: Job) -> list[Amount]:
    """Thread by colour, m."""
    found: dict[str, float] = {}
    for lettering, craft, laid in _of_craft(job, Embroidered):
        sewn = threads_of(laid.outline, craft)
        for layer, threads in zip(laid.layers, sewn, strict=True):
            finish = finish_worn(job, layer.layer.finish or lettering.finish)
            words = finish_words(finish).removesuffix(" ink")  # of a colour, and no ink
            long = sum(thread.length_mm for thread in threads) * len(laid.placing.copies)
            found[words] = found.get(words, 0.0) + long
    return [Amount(f"thread, {words}", long / 1000, "m") for words, long in found.items() if long > 0]


def _patches(job: Job) -> list[Amount]:
    count = sum(len(laid.placing.copies) for _, _, laid in _of_craft(job, WovenPatch))
    return [Amount("woven patch", float(count), "")] if count else []


def _glass(job: Job) -> list[Amount]:
    found: dict[tuple[str, str], float] = {}

    def more(what: str, number: float, unit: str) -> None:
        found[what, unit] = found.get((what, unit), 0.0) + number

    for bending in bendings_of(job):
        for tube in bending.tubes:
            if tube.craft.form == "glass":
                more(f"glass tube {tube.craft.tube_mm:g} mm, {tube.colour}", tube.glass_mm / 1000, "m")
                more("electrode", 2.0, "")
            more("tube support", float(len(tube.supports)), "")
        for one in transformers_of(bending.tubes):
            more(f"transformer {one.kilovolts:g} kV, 30 mA", float(one.count), "")
        more("high-voltage cable", cable_mm(bending.tubes) / 1000, "m")
    return [Amount(what, number, unit) for (what, unit), number in found.items() if number > 0]


def _boxes(job: Job) -> list[Amount]:
    """The faces of hollow letters, and the strip that their returns are bent from."""
    found: dict[tuple[str, str], float] = {}
    for lettering, craft, laid in _of_craft(job, Standing):
        if not _is_hollow(job, lettering):
            continue
        layers = laid.layers * len(laid.placing.copies)
        edge = sum(layer.layer.region.length for layer in layers)
        area = sum(layer.layer.region.area for layer in layers)
        faces = (f"letter faces, {finish_words(finish_worn(job, lettering.finish))}", "m²")
        strip = (f"return strip {craft.thickness_mm:g} mm", "m")
        found[faces] = found.get(faces, 0.0) + area / 1e6
        found[strip] = found.get(strip, 0.0) + edge / 1000
    return [Amount(what, number, unit) for (what, unit), number in found.items()]


def _light(job: Job) -> list[Amount]:
    lights = lights_of(job)
    found: dict[tuple[str, str], float] = {}
    for one in lights:
        found[one.what, one.unit] = found.get((one.what, one.unit), 0.0) + one.amount
    for watts in supplies_w(sum(one.watts for one in lights)):
        key = (f"LED supply {watts:g} W", "")
        found[key] = found.get(key, 0.0) + 1.0
    return [Amount(what, number, unit) for (what, unit), number in found.items()]
