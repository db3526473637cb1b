"""Every word and shape of every theme stands out from its ground, by numbers."""

from __future__ import annotations

import itertools
import re
import unittest
from pathlib import Path

from jeweller.documents.theme import CONTRAST, FACET_SHAPES, THEMES, Theme
from jeweller.gui.shell.style import sheet

LEAST, HIGH, LINES = 4.5, 7.0, 3.0  # to one: words, words in high contrast, rules

SLACK = 1.0  # a colour may lose so much where it is told by its shape too
# How linear red, green and blue mix for whoever lacks one kind of cone (Machado, Oliveira and Fernandes 2009).
BLIND = {
    "red": [
        [0.152286, 1.052583, -0.204868],
        [0.114503, 0.786281, 0.099216],
        [-0.003882, -0.048116, 1.051998],
    ],
    "green": [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.01182, 0.04294, 0.968881]],
    "blue": [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.3039]],
}


def luminance(colour: str) -> float:
    """Relative luminance of an sRGB colour."""
    channels = (int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5))
    red, green, blue = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in channels)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(a: str, b: str) -> float:
    dark, bright = sorted((luminance(a), luminance(b)))
    return (bright + 0.05) / (dark + 0.05)


def as_seen(colour: str, seen: list[list[float]]) -> str:
    """A colour as somebody sees it who is blind to some."""
    linear = [int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5)]
    linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in linear]
    mixed = [min(1.0, max(0.0, sum(m * c for m, c in zip(row, linear, strict=True)))) for row in seen]
    back = [12.92 * c if c <= 0.0031308 else 1.055 * c ** (1 / 2.4) - 0.055 for c in mixed]
    return "#" + "".join(f"{round(255 * c):02x}" for c in back)


class Contrast(unittest.TestCase):
    def pairs(self, theme: Theme) -> dict[str, float]:
        """What is read, on what it is read."""
        read = {"ink": theme.ink, "quiet": theme.quiet, "brass": theme.brass, **theme.facets}
        grounds = {"paper": theme.paper, "desk": theme.desk}
        found = {
            f"{name} on {ground}": contrast(colour, grounds[ground])
            for (name, colour), ground in itertools.product(read.items(), grounds)
        }
        return found | {
            "ink on wash": contrast(theme.ink, theme.wash),
            "on brass": contrast(theme.on_brass, theme.brass),
        }

    def test_words_and_shapes_can_be_read_in_every_theme(self) -> None:
        for theme in THEMES.values():
            least = HIGH if theme is CONTRAST else LEAST
            weak = {what: round(c, 2) for what, c in self.pairs(theme).items() if c < least}
            self.assertEqual(weak, {}, theme.name)
        self.assertGreaterEqual(contrast(CONTRAST.faint, CONTRAST.paper), LINES)

    def test_they_can_be_read_by_whoever_is_blind_to_some_colours(self) -> None:
        for (name, seen), theme in itertools.product(BLIND.items(), THEMES.values()):
            read = {"ink": theme.ink, "quiet": theme.quiet, "brass": theme.brass, **theme.facets}
            weak = {
                what: round(found, 2)
                for what, colour in read.items()
                if (found := contrast(as_seen(colour, seen), as_seen(theme.paper, seen))) < LEAST - SLACK
            }
            self.assertEqual(weak, {}, (name, theme.name))

    def test_each_theme_has_its_pictures(self) -> None:
        for theme in THEMES.values():
            (arrow,) = re.findall(r"url\(([^)]*down-[^)]*)\)", sheet(theme, 11.0))[:1]
            self.assertTrue(Path(arrow.strip("\"'")).exists(), arrow)

    def test_no_two_facets_are_told_by_colour_alone(self) -> None:
        shapes = [str(FACET_SHAPES[facet]) for facet in CONTRAST.facets]
        self.assertEqual(len(set(shapes)), len(shapes))


if __name__ == "__main__":
    unittest.main()
