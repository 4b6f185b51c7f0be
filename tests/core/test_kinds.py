"""Every kind has its entry on every floor, and one that is in no table is an error that names it."""

import importlib
import pkgutil
import unittest
from typing import Annotated, Literal

from pydantic import Field

import kilnchisel.core
from kilnchisel.core.job.base import Value
from kilnchisel.core.job.blank import GROUPS, Blank
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.job.traits import TRAITS, traits_of
from kilnchisel.core.kinds import TABLES, UnknownKind, by_kind, classes_of, named


class Lantern(Value):
    kind: Literal["lantern"] = "lantern"


class Kite(Value):
    kind: Literal["kite"] = "kite"


class Tables(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        for module in pkgutil.walk_packages(kilnchisel.core.__path__, "kilnchisel.core."):
            importlib.import_module(module.name)

    def test_every_kind_has_its_entry_in_every_table(self):
        self.assertGreater(len(TABLES), 15)
        for table in TABLES:
            self.assertEqual(table.forgotten, [], table.__name__)

    def test_every_table_refuses_what_is_no_kind_of_its_family(self):
        for table in TABLES:
            with self.assertRaisesRegex(UnknownKind, f"{table.__name__} has no entry for Lantern"):
                table(Lantern(), None, None, None)

    def test_every_blank_has_its_traits_and_is_offered(self):
        self.assertEqual(set(TRAITS), set(classes_of(Blank)))
        offered = {kind for group in GROUPS.values() for kind, _ in group}
        self.assertEqual(set(classes_of(Blank)) - offered, {Mesh3D})  # it comes from a file
        with self.assertRaisesRegex(UnknownKind, "Lantern"):
            traits_of(Lantern())

    def test_a_forgotten_kind_is_told(self):
        hung = by_kind(Annotated[Lantern | Kite, Field(discriminator="kind")])(lambda one: None)
        try:
            hung.of(Lantern)(lambda _: "by a hook")
            self.assertEqual(hung(Lantern()), "by a hook")
            self.assertEqual(hung.forgotten, ["Kite"])
            hung.of(Kite)(lambda _: "by a line")
            self.assertEqual(hung.forgotten, [])
        finally:
            TABLES.remove(hung)

    def test_kinds_by_name(self):
        union = Annotated[Lantern | Annotated[Kite, Field()], Field(discriminator="kind")]
        self.assertEqual(named(union), {"lantern": Lantern, "kite": Kite})


if __name__ == "__main__":
    unittest.main()
