"""MusicXML files: unpacked within bounds, parsed safely, turned part by part."""

from __future__ import annotations

import io
import re
import zipfile
from typing import Any

from lxml import etree

from jeweller.errors import ScoreError
from jeweller.i18n import _


def text_of(element: Element, path: str) -> str:
    """The text of a child element, without white space around it; "" where there is none.

    >>> text_of(parse_xml(b"<note><type> half </type></note>"), "type")
    'half'
    """
    found = element.find(path)
    return (found.text or "").strip() if found is not None else ""


def int_of(text: str | None, default: int, low: int, high: int) -> int:
    """A whole number between two bounds; `default` where it is none.

    >>> int_of("4", 1, 0, 9), int_of(None, 1, 0, 9)
    (4, 1)
    """
    try:
        return min(high, max(low, int(float(text or default))))
    except (ValueError, OverflowError):
        return default


def split_numbers(text: str | None) -> tuple[int, ...]:
    """The numbers of an ending, as "1, 2".

    >>> split_numbers("1, 2"), split_numbers(None)
    ((1, 2), ())
    """
    found: list[int] = []
    for piece in re.split(r"[,\s]+", text or ""):
        match = re.fullmatch(r"(\d{1,2})(?:-(\d{1,2}))?\.?", piece)
        if match:
            found.extend(range(int(match[1]), int(match[2] or match[1]) + 1))
    return tuple(found)


MAX_BYTES = 64 * 2**20  # of XML text: far beyond any band score


Element = Any


def unpack(data: bytes) -> bytes:
    """The XML bytes of a `.mxl` archive (or `data` itself where it is no archive). Raises ScoreError.

    >>> unpack(b"<score-partwise/>")
    b'<score-partwise/>'
    """
    if data[:4] != b"PK\x03\x04":
        return data
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            sizes = {i.filename: i.file_size for i in archive.infolist()}
            name = find_rootfile(archive, sizes)
            if sizes[name] > MAX_BYTES:
                raise ScoreError(
                    _(
                        "The score in this .mxl file would unpack to {sizes} MB; more than 64 MB is "
                        "not opened."
                    ).format(sizes=sizes[name] // 2**20)
                )
            with archive.open(name) as member:
                text = member.read(MAX_BYTES + 1)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError, ValueError) as error:
        raise ScoreError(
            _(
                "This .mxl file is damaged and cannot be unpacked ({error}). Export it again from "
                "the notation program."
            ).format(error=error)
        ) from error
    if len(text) > MAX_BYTES:
        raise ScoreError(_("The score in this .mxl file unpacks to more than 64 MB and is not opened."))
    return text


def find_rootfile(archive: zipfile.ZipFile, sizes: dict[str, int]) -> str:
    """The score inside an .mxl file. Raises ScoreError.

    >>> archive = zipfile.ZipFile(io.BytesIO(), "w")
    >>> archive.writestr("march.musicxml", "<score-partwise/>")
    >>> find_rootfile(archive, {i.filename: i.file_size for i in archive.infolist()})
    'march.musicxml'
    """
    name = ""
    if sizes.get("META-INF/container.xml", MAX_BYTES) < 2**20:
        root = parse_xml(archive.read("META-INF/container.xml"))
        for element in root.iter("{*}rootfile"):
            if (
                element.get("media-type", "application/vnd.recordare.musicxml+xml")
                == "application/vnd.recordare.musicxml+xml"
            ):
                name = element.get("full-path", "")
                break
    if not name:
        name = next(
            (n for n in sizes if n.lower().endswith((".xml", ".musicxml")) and not n.startswith("META-INF/")),
            "",
        )
    if name.startswith(("/", "\\")) or ".." in re.split(r"[/\\]", name) or ":" in name:
        raise ScoreError(_("This .mxl file points outside itself and is not opened."))
    if name not in sizes:
        raise ScoreError(_("This .mxl file holds no score. Export it again from the notation program."))
    return name


def parse_xml(data: bytes, what: str = "MusicXML") -> Element:
    """Well-formed XML → root element, without entities, network or external files. Raises ScoreError.

    >>> parse_xml(b"<score-partwise/>").tag
    'score-partwise'
    """
    if len(data) > MAX_BYTES:
        raise ScoreError(_("This file is larger than 64 MB; a score of that size is not opened."))
    parser = etree.XMLParser(
        resolve_entities=False,
        no_network=True,
        load_dtd=False,
        huge_tree=False,
        remove_comments=True,
        remove_pis=True,
    )
    try:
        root = etree.fromstring(data, parser)
    except (etree.XMLSyntaxError, ValueError) as error:
        raise ScoreError(
            _("This is not a readable {what} file: {why}.").format(
                what=what, why=str(error).splitlines()[0] if str(error) else _("it is empty")
            )
        ) from error
    dtd: Any = root.getroottree().docinfo.internalDTD
    if dtd is not None and any(True for _unused in dtd.iterentities()):
        raise ScoreError(
            _("This file defines its own XML entities, which a score never needs; it is not opened.")
        )
    return root


def to_partwise(root: Element) -> Element:
    """A timewise score turned part by part.

    >>> bar = b'<measure number="1"><part id="P1"/></measure>'
    >>> timewise = parse_xml(b"<score-timewise>" + bar + b"</score-timewise>")
    >>> [(part.get("id"), len(part)) for part in to_partwise(timewise).iter("part")]
    [('P1', 1)]
    """
    new = etree.Element("score-partwise")
    parts: dict[str, Element] = {}
    for child in root:
        if child.tag != "measure":
            new.append(child)
            continue
        for part in child.iterfind("part"):
            key = part.get("id", "")
            if key not in parts:
                parts[key] = etree.Element("part", id=key)
            bar = etree.SubElement(parts[key], "measure", dict(child.attrib))
            bar.extend(list(part))
    new.extend(parts.values())
    return new
