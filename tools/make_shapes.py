"""Writes what the signs of music look like in every font that the engraver ships, as small pictures, for the
reader of pages: python tools/make_shapes.py
"""

from __future__ import annotations

import os
import sys
import xml.etree.ElementTree as ET
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

import numpy as np
from PySide6.QtCore import QByteArray, QRectF
from PySide6.QtGui import QImage, QPainter
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication

from jeweller.omr.shapes import EDGE, SHAPES, fit_picture
from jeweller.omr.symbols import KINDS

FONTS = ("Bravura", "Gootville", "Leipzig", "Leland", "Petaluma")
UNITS_A_SPACE = 250.0
PIXELS_A_SPACE = 40


def picture_of(path: ET.Element, box: tuple[float, float, float, float]) -> np.ndarray:
    """The sign, 0..1, its box cut tight; `box` in font units, y upwards."""
    x, y, wide, high = box
    scale = PIXELS_A_SPACE / UNITS_A_SPACE
    size = max(2, round(wide * scale)), max(2, round(high * scale))
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="{x} {-y - high} {wide} {high}" '
        f'width="{size[0]}" height="{size[1]}"><path transform="{path.get("transform", "")}" d="{path.get("d")}"/></svg>'
    )
    image = QImage(size[0], size[1], QImage.Format.Format_Grayscale8)
    image.fill(255)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    QSvgRenderer(QByteArray(svg.encode())).render(painter, QRectF(0, 0, *size))
    painter.end()
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return 1.0 - rows[:, : image.width()].astype(np.float32) / 255.0


def main() -> None:
    import verovio

    application = QApplication([])
    data = Path(verovio.__file__).parent / "data"
    kinds, sizes, pictures = [], [], []
    for font in FONTS:
        boxes = {
            g.get("c"): tuple(float(g.get(k, "0")) for k in "xywh")
            for g in ET.parse(data / f"{font}.xml").getroot().iter("g")
        }
        for code, kind in KINDS.items():
            name = f"{code:04X}"
            file = data / font / f"{name}.xml"
            if name not in boxes or not file.exists():
                continue
            path = ET.parse(file).getroot().find("path")
            if path is None or not boxes[name][2] or not boxes[name][3]:
                continue
            _x, _y, wide, high = boxes[name]
            kinds.append(kind)
            sizes.append((wide / UNITS_A_SPACE, high / UNITS_A_SPACE))
            pictures.append(np.round(255 * fit_picture(picture_of(path, boxes[name]), EDGE)).astype(np.uint8))
    SHAPES.parent.mkdir(exist_ok=True)
    np.savez_compressed(
        SHAPES, kinds=np.array(kinds), sizes=np.array(sizes, np.float32), pictures=np.stack(pictures)
    )
    print(f"{len(kinds)} pictures of {len(set(kinds))} signs, {SHAPES.stat().st_size / 1024:.0f} KB")
    application.quit()


if __name__ == "__main__":
    main()
