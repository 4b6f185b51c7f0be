"""The body of every kind of blank."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.blanks.apparel import apparel_body
from kilnchisel.core.blanks.apron import apron_body
from kilnchisel.core.blanks.boards import (
    board_body,
    book_body,
    plaque_body,
    plate_body,
)
from kilnchisel.core.blanks.body import Body, Shell, Sides
from kilnchisel.core.blanks.boxsign import box_sign_body
from kilnchisel.core.blanks.flatshirt import garment_body
from kilnchisel.core.blanks.imported import free_mesh
from kilnchisel.core.blanks.longbody import handle_body, hull_body
from kilnchisel.core.blanks.masonry import wall_body
from kilnchisel.core.blanks.mug import mug_body
from kilnchisel.core.blanks.peakedcap import peaked_cap_body
from kilnchisel.core.blanks.rounds import band_body, globe_body, medallion_body
from kilnchisel.core.blanks.shopfront import shop_front_body
from kilnchisel.core.blanks.terrain import bank_body
from kilnchisel.core.blanks.totebag import tote_body
from kilnchisel.core.blanks.vehicles.aeroplane import aeroplane_body
from kilnchisel.core.blanks.vehicles.boxtruck import box_truck_body
from kilnchisel.core.blanks.vehicles.coach import coach_body
from kilnchisel.core.blanks.vehicles.hatchback import hatchback_body
from kilnchisel.core.blanks.vehicles.sailinghull import sailing_hull_body
from kilnchisel.core.blanks.vehicles.van import van_body
from kilnchisel.core.blanks.vessels import bottle_body, can_body, cap_body, jar_body, tumbler_body
from kilnchisel.core.blanks.windowed import window_body
from kilnchisel.core.blanks.worn import bracelet_body, signet_body
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.blank import Band, Blank, Bottle, Can, Globe, Jar, Medallion, Mug, Plaque, Tumbler
from kilnchisel.core.job.boards import Board, Book, BoxSign, Plate, ShopFront, Wall, Window
from kilnchisel.core.job.bodies import (
    Apparel,
    Apron,
    Bank,
    Bracelet,
    Cap,
    Garment,
    Handle,
    Mesh3D,
    PeakedCap,
    Signet,
    ToteBag,
)
from kilnchisel.core.job.vehicles import Aeroplane, BoxTruck, Coach, Hatchback, Hull, SailingHull, Van
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.remembered import known, remembered


@by_kind(Blank)
def made_body(blank: Any, *, detail: Detail) -> Body:
    """The body of a blank. Raises KilnError for a mesh that cannot be read."""
    raise NotImplementedError


made_body.of(Mug)(mug_body)
made_body.of(Plaque)(plaque_body)
made_body.of(Tumbler)(tumbler_body)
made_body.of(Jar)(jar_body)
made_body.of(Bottle)(bottle_body)
made_body.of(Can)(can_body)
made_body.of(Band)(band_body)
made_body.of(Medallion)(medallion_body)
made_body.of(Globe)(globe_body)
made_body.of(Cap)(cap_body)
made_body.of(Signet)(signet_body)
made_body.of(Bracelet)(bracelet_body)
made_body.of(Board)(board_body)
made_body.of(Plate)(plate_body)
made_body.of(BoxSign)(box_sign_body)
made_body.of(Wall)(wall_body)
made_body.of(ShopFront)(shop_front_body)
made_body.of(Window)(window_body)
made_body.of(Book)(book_body)
made_body.of(Handle)(handle_body)
made_body.of(Hull)(hull_body)
made_body.of(Van)(van_body)
made_body.of(SailingHull)(sailing_hull_body)
made_body.of(Aeroplane)(aeroplane_body)
made_body.of(BoxTruck)(box_truck_body)
made_body.of(Coach)(coach_body)
made_body.of(Hatchback)(hatchback_body)
made_body.of(Garment)(garment_body)
made_body.of(Apparel)(apparel_body)
made_body.of(PeakedCap)(peaked_cap_body)
made_body.of(ToteBag)(tote_body)
made_body.of(Apron)(apron_body)
made_body.of(Bank)(bank_body)


@made_body.of(Mesh3D)
def _mesh_body(blank: Mesh3D, *, detail: Detail) -> Body:
    mesh = free_mesh(blank)
    shells = (
        Shell(mesh.parts[mesh.part_of_block(block)], "blank", drawn) for block, drawn in mesh.drawn.items()
    )
    return Body(tuple(shells), (), tracer=mesh.tracer)


@remembered
def sides_at(blank: Blank) -> Sides:
    """The sides of a blank, for whoever needs no more of its body."""
    return body_of(blank).sides


def sides_about(blank: Blank) -> Sides:
    """Its sides, for whoever asks what they are and not just where: where nobody has wanted the exact ones
    yet, those of the rough body."""
    return sides_at(blank) if known(sides_at, blank) else body_of(blank, detail=Detail.ROUGH).sides


def sides_known(blank: Blank) -> bool:
    """Whether ``sides_about`` has its answer at hand; a body may take a second to make."""
    rough = known(body_of, blank, detail=Detail.ROUGH)
    return rough or known(sides_at, blank) or isinstance(blank, Mesh3D)


@remembered
def body_of(blank: Blank, *, detail: Detail = Detail.FINE) -> Body:
    """The body of a blank; the rough one is for gathering light."""
    return made_body(blank, detail=detail)
