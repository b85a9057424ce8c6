"""Paints the name plates of the sample shelf, all on one picture: python tools/name_plates.py [OUT].

The picture is laid over the whole front of the shelf, WIDE by TALL metres, its lower edge on the ground.
"""

import io
import os
import sys
from pathlib import Path

from PIL import Image
from PyQt6.QtCore import QBuffer, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QImage, QLinearGradient, QPainter, QPen

from pale_ember import ASSETS

SHIPS = ASSETS / "demo" / "sample-shelf-names.webp"
WIDE, TALL, PIXELS, KEPT = 6.4, 2.2, 320, 120
"""Metres; pixels a metre as they are painted, and as they are kept: on a console the whole shelf stays within its memory."""

ACROSS = (-2.56, -1.28, 0.0, 1.28, 2.56)
ROWS = {
    1.995: ("candle flame", "thin curl", "swirl", "glass that bends", "plasma orb"),
    0.945: ("kiln fire", "shield", "burning away", "arc", "burning comet"),
    0.07: ("fire by a ramp", "ribbons", "ring of signs", "molten ball", "bonfire"),
}
"""The names from left to right, by the height of their plates' middles, m."""

PLATE = (0.78, 0.135)


def plate(painter: QPainter, middle: QPointF, name: str) -> None:
    """One of old brass, its letters cut in, a screw at either side."""
    wide, tall = (PIXELS * each for each in PLATE)
    box = QRectF(middle.x() - wide / 2, middle.y() - tall / 2, wide, tall)
    brass = QLinearGradient(box.topLeft(), box.bottomLeft())
    for at, colour in ((0.0, "#f0d9a4"), (0.12, "#d3b272"), (0.55, "#b39054"), (0.9, "#8f6f3d"), (1.0, "#5c4523")):
        brass.setColorAt(at, QColor(colour))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(8, 5, 3, 150))
    painter.drawRoundedRect(box.adjusted(-1.5, -0.5, 1.5, 3.0), 5, 5)
    painter.setBrush(brass)
    painter.drawRoundedRect(box, 4, 4)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor("#4a3418"), 1.0))
    painter.drawRoundedRect(box.adjusted(3.5, 3.5, -3.5, -3.5), 2, 2)
    for x in (box.left() + 10, box.right() - 10):
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor("#3a2913"))
        painter.drawEllipse(QPointF(x, middle.y()), 3.2, 3.2)
        painter.setBrush(QColor("#c9a663"))
        painter.drawEllipse(QPointF(x - 0.5, middle.y() - 0.7), 1.9, 1.9)
    for shift, colour in ((1.0, "#d8b877"), (0.0, "#1d1307")):
        painter.setPen(QColor(colour))
        painter.drawText(box.translated(0, shift), Qt.AlignmentFlag.AlignCenter, name)


def painted() -> QImage:
    """All of them, on nothing."""
    image = QImage(round(WIDE * PIXELS), round(TALL * PIXELS), QImage.Format.Format_RGBA8888)
    image.fill(0)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    face = QFontDatabase.addApplicationFont(str(ASSETS / "fonts" / "Manrope-SemiBold.ttf"))
    font = QFont(QFontDatabase.applicationFontFamilies(face)[0])
    font.setPixelSize(29)
    painter.setFont(font)
    for height, names in ROWS.items():
        for x, name in zip(ACROSS, names, strict=True):
            plate(painter, QPointF((x + WIDE / 2) * PIXELS, (TALL - height) * PIXELS), name)
    painter.end()
    return image


if __name__ == "__main__":
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    application = QGuiApplication([])
    buffer = QBuffer()
    buffer.open(QBuffer.OpenModeFlag.WriteOnly)
    painted().save(buffer, "PNG")
    out = Path(sys.argv[1]) if len(sys.argv) > 1 else SHIPS
    whole = Image.open(io.BytesIO(bytes(buffer.data()))).convert("RGBa")
    small = whole.resize((round(WIDE * KEPT), round(TALL * KEPT)), Image.Resampling.LANCZOS).convert("RGBA")
    small.save(out, quality=92, method=6)
    print(f"{out.name}: {out.stat().st_size // 1024} KB")
