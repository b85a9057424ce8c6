"""What is known of the effects that are chosen: one by itself, two beside each other, several on one quay."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.insight.sentences import number
from pale_ember.core.variation.differing import differences
from pale_ember.folder.listing import EffectCard
from pale_ember.folder.looking import FRAMES, RATE
from pale_ember.formats.document import DocumentError, load
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.side_panel import quiet
from pale_ember.studio.kit.tasks import Task

WIDE = 324
_MOST = 60
"""Differences that are told."""


def figures_told(card: EffectCard) -> str:
    """The figures of an effect in one line."""
    if card.fault:
        return "cannot be read"
    known = card.figures
    length = f"{number(card.seconds)} s{' loop' if card.loop else ''}"
    layers = f"{len(card.layers)} layer{'s' * (len(card.layers) != 1)}"
    return f"{length} · {layers}" if known is None else f"{length} · {known.particles} alive · {known.textures / 2**20:.1f} MB"


class LivingPicture(QWidget):
    """A living picture, as wide as there is room."""

    def __init__(self) -> None:
        super().__init__()
        self._image: QImage | None = None
        self._frame = 0
        self.setFixedHeight(round(WIDE * 9 / 16))
        self._clock = QTimer(self, interval=round(1000 / RATE))
        self._clock.timeout.connect(self._tick)

    def show_image(self, image: QImage | None) -> None:
        """Shows a strip of frames, one below the other."""
        self._image = image
        (self._clock.start if image is not None else self._clock.stop)()
        self.update()

    def _tick(self) -> None:
        if self.isVisible():
            self._frame = (self._frame + 1) % FRAMES
            self.update()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.WELL)
        painter.drawRoundedRect(QRectF(self.rect()), 5, 5)
        if self._image is not None:
            high = self._image.height() / FRAMES
            painter.drawImage(QRectF(self.rect()), self._image, QRectF(0, high * self._frame, self._image.width(), high))


class EffectDetails(QWidget):
    """The panel at the right of the effects."""

    open_asked = pyqtSignal(str)
    together_asked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(WIDE + 24)
        self._folder = Path()
        self._cards: list[EffectCard] = []
        self._task: Task | None = None
        self.summary = ""
        """What is said where nothing is chosen."""
        self.pictures = [LivingPicture(), LivingPicture()]
        self.titles = [QLabel(), QLabel()]
        self.told = [quiet(), quiet()]
        self.opens = [WordButton("Open", "Opens it on the Workbench (Return)") for _ in range(2)]
        self.together = WordButton("Play together", "All that are chosen, beside each other on one quay", icon="play")
        self.together.clicked.connect(self.together_asked)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(4)
        for picture, title, told, opens, place in zip(self.pictures, self.titles, self.told, self.opens, (0, 1), strict=True):
            title.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
            title.setWordWrap(True)
            opens.colour = theme.EMBER
            opens.clicked.connect(lambda _=False, place=place: self.open_asked.emit(self._cards[place].name))
            column.addWidget(picture)
            row = QHBoxLayout()
            row.addWidget(title, 1)
            row.addWidget(opens)
            column.addLayout(row)
            column.addWidget(told)
        self.more = quiet()
        column.addWidget(self.together)
        column.addWidget(self.more)
        column.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 10, 4, 8)
        whole.addWidget(Scrolling(inner))

    def show_cards(self, folder: Path, cards: list[EffectCard], images: list[QImage | None]) -> None:
        """Shows what is known of some effects, with their living pictures."""
        self._folder, self._cards = folder, cards
        several = len(cards) > 2
        for i in range(2):
            there = i < len(cards) and (not several or i == 0)
            for widget in (self.pictures[i], self.titles[i], self.told[i], self.opens[i]):
                widget.setVisible(there)
            if there:
                card = cards[i]
                self.pictures[i].show_image(None if several else images[i])
                self.titles[i].setText(f"{len(cards)} effects" if several else card.title or card.name)
                self.told[i].setText(", ".join(each.title for each in cards) if several else self._said(card))
                self.opens[i].setVisible(not several and not card.fault)
        self.together.setVisible(len(cards) > 1 and not any(card.fault for card in cards))
        self.more.setText("")
        if len(cards) == 1:
            self.more.setText(self._found(cards[0]))
        elif len(cards) == 2:
            self._compare(*cards)
        elif not cards:
            self.more.setText(self.summary)

    def show_together(self, image: QImage | None) -> None:
        """Shows several effects on one quay."""
        self.pictures[0].show_image(image)
        self.pictures[0].setVisible(True)
        self.pictures[1].setVisible(False)

    @staticmethod
    def _said(card: EffectCard) -> str:
        if card.fault:
            return card.fault
        known = card.figures
        lines = [card.name, figures_told(card)]
        if known is not None and known.targets:
            over = f"over {', '.join(known.over)}" if known.over else f"within {', '.join(known.targets)}"
            lines.append(over)
        return "\n".join(lines)

    @staticmethod
    def _found(card: EffectCard) -> str:
        lines = [f"Layers: {', '.join(card.layers)}"] if card.layers else []
        lines += [f"Files: {', '.join(card.files)}"] if card.files else []
        lines += [f"Pictures of its own: {', '.join(card.own)}"] if card.own else []
        lines += [f"Follows: {', '.join(each.partition('/')[2] for each in card.follows)}"] if card.follows else []
        known = card.figures
        if known is not None:
            lines += [f"{'! ' * each.grave}{each.where}: {each.said}" for each in known.findings] or ["No problems found."]
        return "\n\n".join(lines)

    def _compare(self, one: EffectCard, other: EffectCard) -> None:
        """Tells how two effects differ, as soon as it is known."""
        if one.fault or other.fault:
            return
        folder = self._folder
        self.more.setText("Comparing…")

        def work(_: object) -> str:
            effects = [load(folder / f"{card.name}.pale")[0] for card in (one, other)]
            found = differences(*effects)
            told = [str(each) for each in found[:_MOST]]
            more = [f"and {len(found) - _MOST} more"] if len(found) > _MOST else []
            head = f"{len(found)} things differ, from {one.title} to {other.title}:" if found else "Nothing differs."
            return "\n".join([head, *told, *more])

        task = self._task = Task(work, (DocumentError, OSError), name="compare")
        for signal in (task.done, task.failed):
            signal.connect(lambda text: self.more.setText(text) if self._cards == [one, other] and self._task is task else None)
        task.start()
