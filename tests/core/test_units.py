import unittest

from kilnchisel.core.errors import KilnError
from kilnchisel.core.units import (
    format_angle,
    format_length,
    format_number,
    parse_angle,
    parse_length,
    parse_plain,
)


class Lengths(unittest.TestCase):
    def test_units_fractions_and_commas(self):
        for text, mm in {
            "12": 12.0,
            "12 mm": 12.0,
            "12,5 mm": 12.5,
            "1.5 cm": 15.0,
            "0.2m": 200.0,
            "1 in": 25.4,
            "3/8 in": 9.525,
            '1 3/8"': 34.925,
            "1/2 ft": 152.4,
            "72 pt": 25.4,
            "250 µm": 0.25,
            "  7  ": 7.0,
            ".5": 0.5,
            "-3": -3.0,
            "−3": -3.0,
        }.items():
            with self.subTest(text):
                self.assertAlmostEqual(parse_length(text), mm, places=9)

    def test_arithmetic_keeps_units_apart(self):
        for text, mm in {
            "84/2 - 1": 41.0,
            "2*(3+4)": 14.0,
            "10 mm + 1 in": 35.4,
            "1 in - 0.4": 25.0,
            "2 × 3 cm": 60.0,
            "(1+1/2) in": 38.1,
            "100 mm / 4": 25.0,
            "1 in / 1 mm": 25.4,
        }.items():
            with self.subTest(text):
                self.assertAlmostEqual(parse_length(text), mm, places=9)

    def test_bare_number_takes_the_shown_unit(self):
        self.assertAlmostEqual(parse_length("2", "in"), 50.8)
        self.assertAlmostEqual(parse_length("2 + 1 mm", "in"), 51.8)

    def test_refusals_name_what_was_typed(self):
        for text in (
            "",
            "mm",
            "12 km",
            "1 in * 1 in",
            "4/0",
            "(3",
            "3)",
            "--",
            "1e5",
            "12 12",
            "9°",
            "1 mm mm",
            "99999999999",
        ):
            with self.subTest(text), self.assertRaises(KilnError) as caught:
                parse_length(text)
            self.assertIn(text.strip(), str(caught.exception))

    def test_angles_and_plain_numbers(self):
        self.assertEqual(parse_angle("45°"), 45.0)
        self.assertEqual(parse_angle("1/4 turn"), 90.0)
        self.assertEqual(parse_plain("120 %"), 120.0)
        with self.assertRaises(KilnError):
            parse_angle("3 mm")


class Formats(unittest.TestCase):
    def test_shortest_figure(self):
        self.assertEqual(format_number(1.50), "1.5")
        self.assertEqual(format_number(-0.0001), "0")
        self.assertEqual(format_number(100.0, 0), "100")
        self.assertEqual(format_length(25.4, "in"), "1 in")
        self.assertEqual(format_length(0.02, decimals=3), "0.02 mm")
        self.assertEqual(format_angle(116.46), "116.5°")

    def test_what_is_shown_is_read_back(self):
        for mm in (0.02, 9.3, 84.0, 1234.5):
            self.assertAlmostEqual(parse_length(format_length(mm, decimals=4)), mm, places=4)
