"""What garments are made of; common practice."""

from __future__ import annotations

from kilnchisel.core.job.aprons import APRON
from kilnchisel.core.job.totes import TOTE
from tailoring.settling import Fabric

JERSEY = Fabric(0.18, 1.2e-5, 0.9)
FLEECE = Fabric(0.32, 1.3e-4, 2.0, 4.0)
CANVAS = Fabric(0.34, 6e-4, 0.9)
TWILL = Fabric(0.26, 1.5e-4, 0.8)
FABRICS = {
    "t-shirt": JERSEY,
    "long sleeve": JERSEY,
    "sweatshirt": FLEECE,
    "hooded sweatshirt": FLEECE,
    TOTE: CANVAS,
    APRON: TWILL,
}
