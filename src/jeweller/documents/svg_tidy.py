"""The engraver's SVG made so that Qt and PDF writers show all of it."""

from __future__ import annotations

from typing import Any

from lxml import etree

from jeweller.documents.theme import SERIF, SIGNS

Element = Any  # lxml's stubs make every attribute optional; what the engraver writes is known
SVG = "{http://www.w3.org/2000/svg}"
GLYPHS = {"\ueca5": "♩", "\ueca7": "♪", "\ueca3": "𝅗𝅥", "\uecb7": ".", "\ue1d5": "♩", "\ue1e7": "."}


def bare(svg: str) -> str:
    """SVG without the names of its spaces, to be put into another; what has the current colour is ink."""
    return (
        svg.replace(' xmlns="http://www.w3.org/2000/svg"', "")
        .replace(' xmlns:xlink="http://www.w3.org/1999/xlink"', "")
        .replace("currentColor", "INK")
    )


def is_open_path(element: Element) -> bool:
    """Lines (staff, stems, bar lines) have a stroke width and only M and L; closed shapes are filled."""
    d = element.get("d", "")
    return (
        element.tag.endswith("path")
        and element.get("stroke-width") is not None
        and "C" not in d
        and "c" not in d
        and "z" not in d.lower()
    )


def flatten_text(text: Element) -> None:
    """Brings a text to one level of <tspan>, in our own fonts."""
    runs = []
    for leaf in text.iter(f"{SVG}tspan"):
        if leaf.text and leaf.text.strip("\n"):
            size, family, style, anchor, weight = None, None, None, None, None
            node = leaf
            while node is not None and node is not text.getparent():
                size = size or (node.get("font-size") if node.get("font-size") != "0px" else None)
                family = family or node.get("font-family")
                style = style or node.get("font-style")
                anchor = anchor or node.get("text-anchor")
                weight = weight or node.get("font-weight")
                node = node.getparent()
            runs.append((leaf.text, size, family, style, weight))
    x, y, anchor = text.get("x", "0"), text.get("y", "0"), text.get("text-anchor", "start")
    holder = text.getparent()
    group = (holder.get("class") or "") if holder is not None else ""
    for child in list(text):
        text.remove(child)
    text.text = None
    for name in list(text.attrib):
        del text.attrib[name]
    text.set("x", x)
    text.set("y", y)
    text.set("text-anchor", anchor)
    text.set("fill", "INK")
    text.set("stroke", "none")
    for content, size, family, style, weight in runs:
        tspan = etree.SubElement(text, f"{SVG}tspan")
        music = family is not None and "Leipzig" in family
        tspan.set("font-family", SIGNS if music else SERIF)
        tspan.set("font-size", (size or "405px").removesuffix("px"))
        if music:
            tspan.set("font-size", "520")
        heading = weight == "bold" and group.startswith("dir")
        if heading:
            tspan.set("font-weight", "600")
        elif style == "italic" or group.startswith(("dir", "mNum")):
            tspan.set("font-style", "italic")
        if group.startswith("tempo") and not music:
            tspan.set("font-weight", "600")
        tspan.text = "".join(GLYPHS.get(c, c) for c in (content.replace(" ", "") if music else content))
