"""What is drawn on a page of a PDF file, as strokes, outlines and signs: nothing is read from its picture.

Runs in the child with limits only (`jeweller.omr.sandbox`).
"""

from __future__ import annotations

import contextlib
import ctypes
import dataclasses
import math
from collections.abc import Iterator
from typing import Any

import numpy as np
import numpy.typing as npt

from jeweller.errors import PageError
from jeweller.i18n import _
from jeweller.omr.primitives import Bitmap, Box, DrawnLine, Glyph, Outline, PageDrawing

MOST_OBJECTS = 200_000  # on one page
DEEPEST = 6  # of forms within forms
CURVE_STEPS = 8  # straight pieces that stand for a curve
THIN = 0.2  # a filled rectangle or polygon is a line where it is so much thinner than long
LETTER_PIXELS = 48.0  # height of the em of a sign in its picture
LONGEST = 3600.0  # pixels of a page's picture

Matrix = tuple[float, float, float, float, float, float]
IDENTITY: Matrix = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)


def count_pages(data: bytes) -> int:
    """How many pages a PDF has. Raises PageError."""
    with _opened(data) as document:
        return len(document)


def read_drawing(data: bytes, page: int) -> PageDrawing:
    """Page `page`, counted from 0, of a PDF. Raises PageError."""
    with _opened(data) as document:
        if not 0 <= page < len(document):
            raise PageError(
                _("There is no page {page}; the file has {count}.").format(page=page + 1, count=len(document))
            )
        return _Page(document, document[page]).read()


def render_page(data: bytes, page: int, dpi: float) -> npt.NDArray[np.uint8]:
    """What page `page`, from 0, looks like: grey values, (H, W). Raises PageError."""
    with _opened(data) as document:
        held = document[page]
        wide, high = held.get_size()
        scale = min(dpi / 72.0, LONGEST / max(wide, high, 1.0))
        image = held.render(scale=scale, grayscale=True, may_draw_forms=False).to_numpy()
        return np.array(image.reshape(image.shape[:2]), np.uint8)


@contextlib.contextmanager
def _opened(data: bytes) -> Iterator[Any]:
    import pypdfium2

    try:
        document = pypdfium2.PdfDocument(data)
    except pypdfium2.PdfiumError as error:
        told = _("it asks for a password") if "password" in str(error).casefold() else _("it is damaged")
        raise PageError(_("The PDF cannot be opened: {why}.").format(why=told)) from error
    try:
        yield document
    finally:
        document.close()


def _times(a: Matrix, b: Matrix) -> Matrix:
    """The matrix that does a, then b."""
    return (
        a[0] * b[0] + a[1] * b[2],
        a[0] * b[1] + a[1] * b[3],
        a[2] * b[0] + a[3] * b[2],
        a[2] * b[1] + a[3] * b[3],
        a[4] * b[0] + a[5] * b[2] + b[4],
        a[4] * b[1] + a[5] * b[3] + b[5],
    )


class _Page:
    """One page while it is read."""

    def __init__(self, document: Any, page: Any) -> None:
        import pypdfium2.raw as raw

        self.raw, self.document, self.page = raw, document, page
        self.strokes: list[DrawnLine] = []
        self.outlines: list[Outline] = []
        self.glyphs: list[Glyph] = []
        left, bottom, right, top = page.get_mediabox()
        crop = page.get_cropbox()
        if crop is not None:
            left, bottom, right, top = (
                max(left, crop[0]),
                max(bottom, crop[1]),
                min(right, crop[2]),
                min(top, crop[3]),
            )
        turned = int(page.get_rotation()) // 90 % 4
        wide, high = right - left, top - bottom
        # to points from the top left corner of the page as it is to be looked at
        self.upright: Matrix = (
            (1.0, 0.0, 0.0, -1.0, -left, top),
            (0.0, 1.0, 1.0, 0.0, -bottom, -left),
            (-1.0, 0.0, 0.0, 1.0, right, -bottom),
            (0.0, -1.0, -1.0, 0.0, top, right),
        )[turned]
        self.width, self.height = (wide, high) if turned % 2 == 0 else (high, wide)
        self.seen = 0
        self.has_pictures = False

    def read(self) -> PageDrawing:
        text = self.page.get_textpage()
        try:
            count = self.raw.FPDFPage_CountObjects(self.page.raw)
            for k in range(count):
                self._object(self.raw.FPDFPage_GetObject(self.page.raw, k), self.upright, 0, text)
            self._letters(text)
        finally:
            text.close()
        self._pictures()
        return PageDrawing(
            width=self.width,
            height=self.height,
            strokes=tuple(self.strokes),
            outlines=tuple(self.outlines),
            glyphs=tuple(self.glyphs),
            pictures=self.has_pictures,
        )

    def _object(self, item: Any, to_page: Matrix, depth: int, text: Any) -> None:
        self.seen += 1
        if self.seen > MOST_OBJECTS:
            raise PageError(_("This page holds far more than a page of music does."))
        kind = self.raw.FPDFPageObj_GetType(item)
        if kind == self.raw.FPDF_PAGEOBJ_FORM and depth < DEEPEST:
            inside = _times(self._matrix(item), to_page)
            for k in range(self.raw.FPDFFormObj_CountObjects(item)):
                self._object(self.raw.FPDFFormObj_GetObject(item, k), inside, depth + 1, text)
        elif kind == self.raw.FPDF_PAGEOBJ_IMAGE:
            self.has_pictures = True
        elif kind == self.raw.FPDF_PAGEOBJ_PATH:
            self._path(item, _times(self._matrix(item), to_page))

    def _matrix(self, item: Any) -> Matrix:
        m = self.raw.FS_MATRIX()
        if not self.raw.FPDFPageObj_GetMatrix(item, m):
            return IDENTITY
        return (m.a, m.b, m.c, m.d, m.e, m.f)

    def _visible(self, item: Any) -> bool:
        """Whether a path is dark enough to be seen on white."""
        r, g, b, a = (ctypes.c_uint() for _ in range(4))
        fill, stroke = ctypes.c_int(), ctypes.c_int()
        self.raw.FPDFPath_GetDrawMode(item, fill, stroke)
        asked = self.raw.FPDFPageObj_GetFillColor if fill.value else self.raw.FPDFPageObj_GetStrokeColor
        if not asked(item, r, g, b, a):
            return True
        return a.value > 40 and (r.value + g.value + b.value) < 3 * 200

    def _path(self, item: Any, to_page: Matrix) -> None:
        raw = self.raw
        fill, stroke = ctypes.c_int(), ctypes.c_int()
        raw.FPDFPath_GetDrawMode(item, fill, stroke)
        if not (fill.value or stroke.value) or not self._visible(item):
            return
        width = ctypes.c_float()
        raw.FPDFPageObj_GetStrokeWidth(item, width)
        scale = math.sqrt(abs(to_page[0] * to_page[3] - to_page[1] * to_page[2]))
        thickness = width.value * scale if stroke.value else 0.0
        contours, curved = self._contours(item)
        a, b, c, d, e, f = to_page
        moved = [
            np.column_stack([p[:, 0] * a + p[:, 1] * c + e, p[:, 0] * b + p[:, 1] * d + f]) for p in contours
        ]
        if stroke.value and not curved and (not fill.value or all(len(p) == 2 for p in moved)):
            for p in moved:
                for q, r in zip(p[:-1], p[1:], strict=True):
                    self._line(q, r, thickness)
            return
        if len(moved) > 1 and not curved and all(_as_line(p) is not None for p in moved):
            for p in moved:
                self._filled_line(p, thickness)
            return
        if len(moved) == 1 and not curved and _as_line(moved[0]) is not None:
            self._filled_line(moved[0], thickness)
            return
        if moved:
            starts = np.cumsum([0, *(len(p) for p in moved[:-1])])
            self.outlines.append(
                Outline(
                    np.concatenate(moved), tuple(int(s) for s in starts), curved, bool(fill.value), thickness
                )
            )

    def _contours(self, item: Any) -> tuple[list[npt.NDArray[np.float64]], bool]:
        """The contours of a path, curves as short lines; whether any of it is curved."""
        raw = self.raw
        contours: list[list[tuple[float, float]]] = []
        control: list[tuple[float, float]] = []
        curved = False
        x, y = ctypes.c_float(), ctypes.c_float()
        for k in range(raw.FPDFPath_CountSegments(item)):
            segment = raw.FPDFPath_GetPathSegment(item, k)
            kind = raw.FPDFPathSegment_GetType(segment)
            raw.FPDFPathSegment_GetPoint(segment, x, y)
            point = (x.value, y.value)
            if kind == raw.FPDF_SEGMENT_MOVETO or not contours:
                contours.append([point])
            elif kind == raw.FPDF_SEGMENT_LINETO:
                contours[-1].append(point)
            else:
                control.append(point)
                if len(control) == 3:
                    contours[-1].extend(_bezier(contours[-1][-1], *control))
                    curved, control = True, []
            if raw.FPDFPathSegment_GetClose(segment):
                contours[-1].append(contours[-1][0])
        return [np.array(c) for c in contours if len(c) > 1], curved

    def _line(self, p: npt.NDArray[np.float64], q: npt.NDArray[np.float64], width: float) -> None:
        if float(np.hypot(*(q - p))) > 1e-3:
            self.strokes.append(DrawnLine(float(p[0]), float(p[1]), float(q[0]), float(q[1]), width))

    def _filled_line(self, p: npt.NDArray[np.float64], extra: float) -> None:
        line = _as_line(p)
        if line is not None:
            x0, y0, x1, y1, width = line
            self.strokes.append(DrawnLine(x0, y0, x1, y1, width + extra))

    def _letters(self, text: Any) -> None:
        """Every sign of a font: where it stands, and what it is called."""
        raw = self.raw
        box = [ctypes.c_double() for _ in range(4)]
        names: dict[int, str] = {}
        for k in range(min(raw.FPDFText_CountChars(text.raw), MOST_OBJECTS)):
            if raw.FPDFText_IsGenerated(text.raw, k) == 1:
                continue
            code = raw.FPDFText_GetUnicode(text.raw, k)
            if not raw.FPDFText_GetCharBox(text.raw, k, *box):
                continue
            left, right, bottom, top = (v.value for v in box)
            if right - left < 1e-3 or top - bottom < 1e-3:
                continue
            corners = [self._moved(x, y) for x in (left, right) for y in (bottom, top)]
            xs, ys = zip(*corners, strict=True)
            item = raw.FPDFText_GetTextObject(text.raw, k)
            font = names.setdefault(ctypes.cast(item, ctypes.c_void_p).value or 0, self._font(item))
            self.glyphs.append(
                Glyph(
                    Box(min(xs), min(ys), max(xs), max(ys)),
                    int(code),
                    font,
                    self._size(text, k),
                )
            )

    def _size(self, text: Any, k: int) -> float:
        """The size of a letter on the page, however its font is scaled."""
        matrix, size = self.raw.FS_MATRIX(), float(self.raw.FPDFText_GetFontSize(text.raw, k))
        if not self.raw.FPDFText_GetMatrix(text.raw, k, matrix):
            return size
        return size * math.hypot(matrix.c, matrix.d)

    def _pictures(self) -> None:
        """The picture of every sign that is used, once for each font, from a place where it stands alone:
        drawn without the lines of the page.
        """
        raw = self.raw
        wanted: dict[tuple[str, int, int], list[int]] = {}
        for k, glyph in enumerate(self.glyphs):
            wanted.setdefault(_alike(glyph), []).append(k)
        others = [
            item
            for k in range(raw.FPDFPage_CountObjects(self.page.raw))
            if raw.FPDFPageObj_GetType(item := raw.FPDFPage_GetObject(self.page.raw, k))
            in (raw.FPDF_PAGEOBJ_PATH, raw.FPDF_PAGEOBJ_IMAGE, raw.FPDF_PAGEOBJ_SHADING)
        ]
        for item in others:
            raw.FPDFPage_RemoveObject(self.page.raw, item)
            raw.FPDFPageObj_Destroy(item)
        boxes = np.array([[g.box.left, g.box.top, g.box.right, g.box.bottom] for g in self.glyphs]).reshape(
            -1, 4
        )
        pictures: dict[tuple[str, int, int], Bitmap] = {}
        for key, places in wanted.items():
            alone = [k for k in places[:20] if _meeting(boxes, k) == 1]
            pictures[key] = self._picture(self.glyphs[(alone or places)[0]].box)
        self.glyphs = [dataclasses.replace(g, bitmap=pictures[_alike(g)]) for g in self.glyphs]

    def _picture(self, box: Box) -> Bitmap:
        scale = min(max(LETTER_PIXELS / max(box.width, box.height), 2.0), 40.0)
        edges = (box.left, self.height - box.bottom, self.width - box.right, box.top)
        margin = tuple(max(0.0, edge) for edge in edges)
        if margin[0] + margin[2] > self.width - 0.1 or margin[1] + margin[3] > self.height - 0.1:
            return np.zeros((1, 1), np.float32)  # beside the page
        image = self.page.render(scale=scale, crop=margin, grayscale=True, may_draw_forms=False).to_numpy()
        return np.asarray(1.0 - image.reshape(image.shape[:2]).astype(np.float32) / 255.0, np.float32)

    def _moved(self, x: float, y: float) -> tuple[float, float]:
        a, b, c, d, e, f = self.upright
        return x * a + y * c + e, x * b + y * d + f

    def _font(self, item: Any) -> str:
        font = self.raw.FPDFTextObj_GetFont(item)
        buffer = ctypes.create_string_buffer(256)
        self.raw.FPDFFont_GetBaseFontName(font, buffer, 256)
        return buffer.value.decode("utf-8", "replace")


def _alike(glyph: Glyph) -> tuple[str, int, int]:
    """What signs have in common that look the same but for their size: two codes may be one in a file."""
    return glyph.font, glyph.code, round(20 * glyph.box.width / max(glyph.box.height, 1e-6))


def _meeting(boxes: npt.NDArray[np.float64], k: int) -> int:
    """How many boxes one of them meets, itself counted."""
    left, top, right, bottom = boxes[k]
    across = (boxes[:, 0] < right) & (boxes[:, 2] > left)
    return int((across & (boxes[:, 1] < bottom) & (boxes[:, 3] > top)).sum())


def _bezier(
    p: tuple[float, float], a: tuple[float, float], b: tuple[float, float], q: tuple[float, float]
) -> list[tuple[float, float]]:
    t = np.linspace(0.0, 1.0, CURVE_STEPS + 1)[1:, None]
    points = (
        (1 - t) ** 3 * np.array(p)
        + 3 * (1 - t) ** 2 * t * np.array(a)
        + 3 * (1 - t) * t**2 * np.array(b)
        + t**3 * np.array(q)
    )
    return [(float(x), float(y)) for x, y in points]


def _as_line(p: npt.NDArray[np.float64]) -> tuple[float, float, float, float, float] | None:
    """(x0, y0, x1, y1, width) of a filled area of four corners that is a thin line; None where it is not."""
    corners = p
    while len(corners) > 2 and np.allclose(corners[0], corners[-1]):
        corners = corners[:-1]
    if len(corners) != 4:
        return None
    sides = np.hypot(*(np.roll(corners, -1, axis=0) - corners).T)
    if max(sides[0], sides[2]) < max(sides[1], sides[3]):
        corners, sides = np.roll(corners, -1, axis=0), np.roll(sides, -1)
    long, short = 0.5 * (sides[0] + sides[2]), 0.5 * (sides[1] + sides[3])
    if short > THIN * long:
        return None
    begin, end = 0.5 * (corners[0] + corners[3]), 0.5 * (corners[1] + corners[2])
    return float(begin[0]), float(begin[1]), float(end[0]), float(end[1]), float(short)
