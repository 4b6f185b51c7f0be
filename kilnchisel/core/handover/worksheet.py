"""The work sheet for the shop: what is made, materials with amounts and weights, cutters, times, tubes,
light, holes, and what it costs at the shop's own rates."""

from __future__ import annotations

from collections.abc import Sequence

from kilnchisel.core.build import lays_of
from kilnchisel.core.handover.letterhead import Letterhead, headed
from kilnchisel.core.handover.paper.marks import BRICK, INK, PENCIL
from kilnchisel.core.handover.paper.pdf import pdf_of
from kilnchisel.core.handover.paper.sheets import HEAD_MM, SMALL_MM, Paper, Sheets
from kilnchisel.core.handover.programs import Written
from kilnchisel.core.job.crafts import Tube
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.words.blanks import blank_words
from kilnchisel.core.job.words.contents import content_words, one_line
from kilnchisel.core.job.words.crafts import craft_words
from kilnchisel.core.job.words.finishes import finish_words
from kilnchisel.core.shop.amounts import HOUR, HOURS, Amount, Rates, amounts_of
from kilnchisel.core.shop.bender import bendings_of
from kilnchisel.core.shop.checks import warned
from kilnchisel.core.shop.holes import drilled
from kilnchisel.core.shop.paths.feeds import feeds_for
from kilnchisel.core.shop.paths.routerwork import tools_of
from kilnchisel.core.shop.power import FED_M, lights_of
from kilnchisel.core.units import format_length, format_number


def worksheet_bytes(
    job: Job,
    programs: Sequence[Written],
    head: Letterhead,
    paper: Paper,
    rates: Rates,
    work: Sequence[Amount] = (),
) -> bytes:
    """The sheet as PDF; ``work``: what is done by hand. Raises KilnError."""
    sheets = Sheets(paper, f"{job.name} · work sheet · {head.day}")
    headed(sheets, head, "Work sheet")
    sheets.words(job.name, "H2", HEAD_MM * 1.25, bold=True)
    sheets.words(f"{blank_words(job.blank)}, {finish_words(job.finish)}.")
    for number, lettering in enumerate(job.letterings, start=1):
        hidden = " Hidden: not made." if lettering.hidden else ""
        made = craft_words(lettering.craft)
        if not isinstance(lettering.craft, Tube):  # which is of its light's colour
            made += f", {finish_words(lettering.finish)}"
        sides = " and the ".join(lay.side for lay in lays_of(job, number - 1))
        sheets.words(f"{number}  {content_words(lettering.content)}. {made}, on the {sides}.{hidden}")
    amounts = amounts_of(job)
    hours = sum(one.minutes for one in programs) / 60
    if hours > 0:
        amounts.append(Amount(HOUR, hours, HOURS))
    amounts += work
    _materials(sheets, amounts, rates)
    _cutters(sheets, programs)
    _tubes(sheets, job)
    _light(sheets, job)
    _holes(sheets, job)
    _watched(sheets, job)
    return pdf_of(f"{job.name}, work sheet", sheets.done())


def _materials(sheets: Sheets, amounts: list[Amount], rates: Rates) -> None:
    """A table of what it takes, priced where there are rates; the sum of what is shown."""
    if not amounts:
        return
    sheets.heading("Materials and time")
    priced = bool(rates.prices)
    rows: list[tuple[str, ...]] = []
    whole, missing, weight = 0.0, [], 0.0
    for amount in amounts:
        heavy = "" if amount.weight_g is None else _weight(amount.weight_g)
        weight += amount.weight_g or 0.0
        what = "machine" if amount.what == HOUR else amount.what
        row: tuple[str, ...] = (what[:1].upper() + what[1:], amount.shown, heavy)
        if priced:
            price = rates.price(amount)
            if price is None:
                missing.append(amount.what)
            # what is shown adds up: each is rounded before it is counted
            whole += round(price or 0.0, 2)
            row = (*row, "no rate" if price is None else _money(round(price, 2), rates))
        rows.append(row)
    heads = ("What", "Amount", "Weight", *(("Price",) if priced else ()))
    sheets.table(heads, rows, (5, 1.6, 1.4, *((1.6,) if priced else ())))
    if weight > 0:
        sheets.words(f"Together {_weight(weight)}.")
    if priced:
        sheets.words(f"Together {_money(whole, rates)}.", bold=True)
        if missing:
            sheets.words(f"Without a rate, and not counted: {', '.join(missing)}.", colour=BRICK)


def _money(value: float, rates: Rates) -> str:
    return f"{value:,.2f} {rates.currency}".strip()


def _weight(grams: float) -> str:
    if grams >= 1000:
        return f"{format_number(grams / 1000, 2)} kg"
    return f"{format_number(grams, 1 if grams >= 10 else 2)} g"


def _cutters(sheets: Sheets, programs: Sequence[Written]) -> None:
    if not programs:
        return
    sheets.heading("Router")
    rows: list[tuple[str, ...]] = []
    for one in programs:
        wide, tall, thick = (format_number(v, 1) for v in one.piece.stock)
        tools = ", ".join(tool.words for tool in tools_of([one.piece]))
        rows.append((one.piece.name, f"{wide} × {tall} × {thick} mm", tools, _minutes(one.minutes)))
    sheets.table(("Program", "Stock", "Cutters", "Time"), rows, (2, 2.4, 4, 1.2))
    sheets.heading("Speeds")
    seen: dict[tuple[str, ...], None] = {}
    for one in programs:
        for tool in tools_of([one.piece]):
            feeds = feeds_for(one.piece.finish, tool)
            seen[
                tool.words,
                finish_words(one.piece.finish),
                f"{feeds.turns:.0f}",
                f"{feeds.along:.0f}",
                f"{feeds.down:.0f}",
                format_number(feeds.deep_mm, 2),
            ] = None
    heads = ("Cutter", "In", "Turns a minute", "Along, mm/min", "Down, mm/min", "Deep a pass, mm")
    sheets.table(heads, list(seen), (3, 2.4, 1.6, 1.6, 1.6, 1.8))
    sheets.words("Speeds are common practice of small machines.", size=SMALL_MM, colour=PENCIL)
    for one in programs:
        for words in one.piece.left:
            sheets.words(words[:1].upper() + words[1:] + ".", colour=BRICK)


def _minutes(minutes: float) -> str:
    whole = round(minutes)
    if minutes < 1:
        return f"{minutes * 60:.0f} s"
    return f"{whole} min" if whole < 60 else f"{whole // 60} h {whole % 60:02d} min"


def _tubes(sheets: Sheets, job: Job) -> None:
    tubes = [tube for bending in bendings_of(job) for tube in bending.tubes]
    if not tubes:
        return
    sheets.heading("Tubes")
    rows: list[tuple[str, ...]] = [
        (
            str(tube.number),
            tube.words,
            f"{tube.craft.tube_mm:g} mm {tube.colour}",
            format_length(tube.glass_mm, decimals=0),
            str(len(tube.bends)),
            str(len(tube.supports)),
        )
        for tube in tubes
    ]
    heads = ("Tube", "Words", "Glass", "Length", "Bends", "Supports")
    sheets.table(heads, rows, (0.8, 3, 2.6, 1.6, 1, 1.2))


def _light(sheets: Sheets, job: Job) -> None:
    lights = lights_of(job)
    if not lights:
        return
    sheets.heading("Light")
    rows: list[tuple[str, ...]] = [
        (
            one.words,
            one.what,
            f"{format_number(one.amount, 2 if one.unit else 0)} {one.unit}".strip(),
            f"{format_number(one.watts, 1)} W",
            str(one.feeds),
        )
        for one in lights
    ]
    sheets.table(("Words", "What", "Amount", "Power", "Feed points"), rows, (3, 2, 1.4, 1.2, 1.4))
    words = f"Common practice: fed every {FED_M:g} m at least, supplies with a fifth in reserve."
    sheets.words(words, size=SMALL_MM, colour=PENCIL)


def _holes(sheets: Sheets, job: Job) -> None:
    sides = drilled(job)
    if not sides:
        return
    sheets.heading("Holes")
    for one in sides:
        for (wide, what), count in one.counted().items():
            many = f"{count} {what}{'' if count == 1 else 's'}"
            sheets.words(f"{one.side.capitalize()}: {many}, {format_length(wide, decimals=1)} in diameter.")


def _watched(sheets: Sheets, job: Job) -> None:
    """What a check warns of."""
    said = {f"{one_line(one)[:34]}: {check.says}": check.level for one, check in warned(job)}
    if said:
        sheets.heading("To watch")
    for words, level in said.items():
        sheets.words(words, colour=BRICK if level == "failure" else INK)
