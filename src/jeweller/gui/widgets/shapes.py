"""The facets' shapes and the few icons of the program, drawn by Qt from the same paths as the marks on the
part.
"""

from __future__ import annotations

from PySide6.QtCore import QByteArray, QRectF, QSize, Qt
from PySide6.QtGui import QIcon, QImage, QPainter, QPixmap, QPixmapCache
from PySide6.QtSvg import QSvgRenderer

from jeweller.documents.theme import Theme, shape_svg

MUCH = 0.35  # share of a facet lost from which its shape stands on a ground of its own
ICON_PATHS = {
    "play": '<path d="M -6 -9 L 8 0 L -6 9 Z" fill="{c}"/>',
    "stop": '<rect x="-7" y="-7" width="14" height="14" fill="{c}"/>',
    "loop": (
        '<path d="M -8 1 A 8 7 0 1 1 3 7 M 3 7 L 8 3 M 3 7 L 7 11" fill="none" stroke="{c}" '
        'stroke-width="2.4" stroke-linecap="round"/>'
    ),
    "loupe": '<circle cx="-2" cy="-2" r="7" fill="none" stroke="{c}" stroke-width="2.2"/>'
    '<path d="M 3 3 L 9 9" stroke="{c}" stroke-width="3" stroke-linecap="round"/>',
    "warmup": '<path d="M -10 5 H 10 M -10 1 V 9 M 0 2 V 8 M 10 1 V 9" fill="none" stroke="{c}" '
    'stroke-width="1.8"/><path d="M -4 -9 Q 0 -3 -4 1 M 2 -9 Q 6 -3 2 1" fill="none" stroke="{c}" '
    'stroke-width="1.8"/>',
    "booth": '<path d="M -9 10 V -9 H 9 V 10" fill="none" stroke="{c}" stroke-width="1.8"/>'
    '<path d="M -4 -3 V 2 A 4 4 0 0 0 4 2 V -3 A 4 4 0 0 0 -4 -3 Z M 0 6 V 10" fill="none" stroke="{c}" '
    'stroke-width="1.8"/>',
    "bench": '<path d="M -10 -7 H 10 M -10 0 H 10 M -10 7 H 10" stroke="{c}" stroke-width="1.8" '
    'stroke-linecap="round"/>'
    '<circle cx="-4" cy="-7" r="3" fill="{c}"/><circle cx="5" cy="0" r="3" fill="{c}"/><circle '
    'cx="-1" cy="7" r="3" fill="{c}"/>',
    "practice": '<path d="M -9 -9 H 9 M -9 -3 H 9 M -9 3 H 3 M -9 9 H -2" fill="none" stroke="{c}" '
    'stroke-width="1.8" stroke-linecap="round"/><circle cx="7" cy="6" r="4" fill="none" stroke="{c}" '
    'stroke-width="1.8"/>',
    "ledger": '<path d="M -8 -10 H 8 V 10 H -8 Z M -8 -4 H 8 M -8 2 H 8 M -2 -10 V 10" fill="none" '
    'stroke="{c}" stroke-width="1.8" '
    'stroke-linejoin="round"/>',
    "pattern": '<path d="M -9 -8 L 0 -6 L 9 -8 L 9 7 L 0 9 L -9 7 Z M 0 '
    "-6 L 0 9 M -6 -3 L -3 -2 M -6 1 L -3 2 "
    'M 3 -2 L 6 -3 M 3 2 L 6 1" '
    'fill="none" stroke="{c}" stroke-width="1.8" stroke-linejoin="round"/>',
    "pitch": (
        '<path d="M -10 4 C -6 -8 -2 -8 1 0 S 7 8 10 -3" fill="none" stroke="{c}" stroke-width="2.6" '
        'stroke-linecap="round"/>'
    ),
}


def drawn(svg: str, width: float, height: float, ratio: float) -> QPixmap:
    """An SVG document drawn into a clear pixmap of so many (logical) pixels."""
    return QPixmap.fromImage(drawn_image(svg, width, height, ratio))


def drawn_image(svg: str, width: float, height: float, ratio: float) -> QImage:
    """The same as an image: a long document is drawn in a thread, where no pixmap may be touched."""
    size = QSize(max(1, int(width * ratio)), max(1, int(height * ratio)))
    image = QImage(size, QImage.Format.Format_ARGB32_Premultiplied)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    QSvgRenderer(QByteArray(svg.encode("utf-8"))).render(painter, QRectF(0, 0, image.width(), image.height()))
    painter.end()
    image.setDevicePixelRatio(ratio)
    return image


def svg_pixmap(body: str, size: int, ratio: float = 2.0) -> QPixmap:
    """An SVG fragment in a box of -12..12 as a pixmap of `size` pixels; drawn once as long as Qt's cache
    holds.
    """
    key = f"{size}/{ratio}/{body}"
    known = QPixmap()
    if QPixmapCache.find(key, known):
        return known
    made = drawn(
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="-12 -12 24 24">{body}</svg>', size, size, ratio
    )
    QPixmapCache.insert(key, made)
    return made


def facet_pixmap(facet: str, theme: Theme, size: int = 18, *, unsure: bool = False) -> QPixmap:
    return svg_pixmap(shape_svg(facet, 0, 0, 19, theme.facets[facet], unsure=unsure), size)


class FacetShapes:
    """Facets at a glance: nothing asked, nothing there; clean, a hair line; something wrong, its shape in its
    colour; much wrong, on a ground. Each is drawn once.
    """

    def __init__(self) -> None:
        self._drawn: dict[tuple[str, str, str, int], QPixmap] = {}

    def of(self, facet: str, mark: float | None, theme: Theme, size: int) -> QPixmap:
        degree = "" if mark is None else "clean" if mark >= 1.0 else "much" if 1.0 - mark >= MUCH else "some"
        key = (theme.name, facet, degree, size)
        if key not in self._drawn:
            self._drawn[key] = _facet_shape(facet, mark, theme, size)
        return self._drawn[key]


def _facet_shape(facet: str, mark: float | None, theme: Theme, size: int) -> QPixmap:
    if mark is None:
        return svg_pixmap(f'<circle r="1.4" fill="{theme.faint}"/>', size)
    if mark >= 1.0:
        return svg_pixmap(shape_svg(facet, 0, 0, 16, theme.faint, unsure=True), size)
    colour = theme.facets[facet]
    ground = (
        f'<rect x="-12" y="-12" width="24" height="24" rx="3" fill="{colour}"/>' if 1.0 - mark >= MUCH else ""
    )
    return svg_pixmap(ground + shape_svg(facet, 0, 0, 16, theme.paper if ground else colour), size)


def icon(name: str, theme: Theme, size: int = 18) -> QIcon:
    return QIcon(svg_pixmap(ICON_PATHS[name].format(c=theme.brass), size))
