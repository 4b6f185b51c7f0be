"""Finishes and wear in a few words."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.job.finish import (
    AS_HANDED_OVER,
    SPECIES,
    AsBlank,
    Cloth,
    Enamel,
    Foam,
    Glass,
    Gold,
    Grass,
    Ink,
    Leather,
    LetterFinish,
    Masonry,
    Metal,
    Paint,
    PaintedWood,
    Paper,
    Plastic,
    Rubber,
    Slate,
    Stainless,
    Stone,
    Wear,
    Wood,
)
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.units import format_number

COLOURS = {
    "black": (20, 20, 20),
    "white": (250, 250, 248),
    "cream": (239, 230, 208),
    "grey": (128, 128, 128),
    "red": (176, 40, 40),
    "brick": (160, 75, 55),
    "orange": (215, 125, 45),
    "ochre": (190, 150, 70),
    "yellow": (235, 205, 80),
    "olive": (120, 125, 60),
    "green": (60, 125, 70),
    "pine": (40, 75, 65),
    "teal": (35, 125, 120),
    "sky blue": (130, 175, 215),
    "blue": (45, 85, 165),
    "midnight": (29, 42, 77),
    "violet": (105, 75, 145),
    "rose": (205, 130, 140),
    "brown": (95, 65, 45),
    "sand": (210, 185, 150),
    "gold": (200, 160, 70),
    "silver": (190, 192, 196),
}


def colour_word(text: str) -> str:
    """The nearest everyday name of a #rrggbb colour."""
    r, g, b = (int(text[i : i + 2], 16) for i in (1, 3, 5))
    return min(
        COLOURS,
        key=lambda name: sum((a - c) ** 2 for a, c in zip((r, g, b), COLOURS[name], strict=True)),
    )


@by_kind(LetterFinish)
def finish_words(finish: Any) -> str:
    """A finish in a few words: "cream enamel", "brushed brass"."""
    raise NotImplementedError


@finish_words.of(AsBlank)
def _as_blank(_: AsBlank) -> str:
    return "as the blank"


@finish_words.of(Metal)
def _metal(finish: Metal, name: str = "") -> str:
    old = ", with patina" if finish.patina >= 10 else ""
    return f"{finish.polish} {name or finish.kind}{old}"  # type: ignore[attr-defined]


@finish_words.of(Stainless)
def _stainless(finish: Stainless) -> str:
    return _metal(finish, "stainless steel")


@finish_words.of(Gold)
def _gold(finish: Gold) -> str:
    fine = finish.carat >= 24
    return _metal(finish, "gold" if fine else f"{format_number(finish.carat)} ct {finish.alloy} gold")


@finish_words.of(Slate)
def _slate(finish: Slate) -> str:
    return "oiled slate" if finish.oiled >= 20 else "slate"


@finish_words.of(Wood)
def _wood(finish: Wood) -> str:
    named = (name for name, known in SPECIES.items() if known[0] == finish.colour)
    kind = next(named, f"{colour_word(finish.colour)} wood")
    return kind if finish.surface == "bare" else f"{finish.surface} {kind}"


@finish_words.of(Glass)
def _glass(finish: Glass) -> str:
    return "frosted glass" if finish.frosted >= 20 else "glass"


@finish_words.of(Masonry)
def _masonry(finish: Masonry) -> str:
    colour = colour_word(finish.colour)
    return finish.surface if colour == finish.surface else f"{colour} {finish.surface}"


@finish_words.of(Ink, Paint)
def _ink(finish: Ink | Paint) -> str:
    effect = "" if finish.effect == "plain" else f"{finish.effect} "
    return f"{colour_word(finish.colour)} {effect}{finish.kind}"


@finish_words.of(Cloth, Enamel, Foam, Grass, Leather, PaintedWood, Paper, Plastic, Rubber, Stone)
def _coloured(finish: Any) -> str:
    return f"{colour_word(finish.colour)} {finish.kind}"


def wear_words(wear: Wear) -> str:
    """ "edges rubbed, dirt in recesses"; nothing for a new piece."""
    words = {
        "edges rubbed": wear.rubbed,
        "dirt in recesses": wear.dirt,
        "handled": wear.handled if wear.handled > AS_HANDED_OVER.handled else 0.0,
        "scratched": wear.scratched,
        "uneven colour": wear.noise,
    }
    return ", ".join(word for word, amount in words.items() if amount > 0)
