"""The Pulse: the whole take in one strip; drag a window on it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QMouseEvent, QPainter, QPen, QPixmap, QWheelEvent
from PySide6.QtWidgets import QToolTip, QWidget

from opossum.stream.tables import Array
from opossum.words import tr
from opossum_desk.layout.scale import MOST_FROZEN_NAMES, takes_room
from opossum_desk.layout.wording import short_time
from opossum_desk.state.session import Session
from opossum_desk.take_area.layout.pulse import TICK_PX, PulsePicture, layout_overlay, layout_pulse
from opossum_desk.views.canvas import DRAG_FROM_PX, Canvas
from opossum_desk.views.foreign_painter import ForeignPainter
from opossum_desk.views.look import Look
from opossum_desk.views.pixel_sheet import image_of, premultiplied
from opossum_desk.views.plain import plain_tooltip
from opossum_desk.views.speech import Spoken

LEFT_PX = 96.0
NOTE_PX = 4.0
"""A note is told this near to its mark."""
SHADE_ALPHA = 60
"""What lies beyond the window is only a little paler: it is still to be seen."""
TOP_PX = 6.0
BOTTOM_PX = 17.0


class PulseView(Canvas):
    """Paints a `PulsePicture`; the curves are kept as a pixmap until take, size or look change."""

    def __init__(self, look: Look, parent: QWidget | None = None) -> None:
        super().__init__(look, tr("Pulse"), parent)
        self.picture: PulsePicture | None = None
        self._curves: QPixmap | None = None
        self._shaded: QPixmap | None = None
        self._pressed: QPointF | None = None
        self._window_at_press = (0.0, 0.0)
        self.setMouseTracking(True)
        self.setFixedHeight(self._tall())
        self.setWhatsThis(
            tr(
                "The Pulse: the whole take. Above, how long each frame took (the rose line marks frozen ones); below, how many calls it made; at the bottom, findings. Drag to choose a window."
            )
        )

    def set_session(self, session: Session | None) -> None:
        if session is not None:
            session.subscribe("window selection bookmarks", self.update)
            session.subscribe("findings axis", self.renew)
        super().set_session(session)

    @property
    def _left_px(self) -> float:
        """Room for what stands at the left of the curves."""
        return max(
            LEFT_PX, QFontMetricsF(self.small_font(2)).horizontalAdvance(tr("work ≤ {time}", time="00.0 ms")) + 16
        )

    @property
    def _bottom_px(self) -> float:
        """Room for the line of findings."""
        return max(BOTTOM_PX, QFontMetricsF(self.small_font(2)).height() + 2)

    def _tall(self) -> int:
        return max(92, round(self.fontMetrics().height() * 5.4))

    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.FontChange:
            self.setFixedHeight(self._tall())
        super().changeEvent(event)

    def restyle(self) -> None:
        self._curves = self._shaded = None
        super().restyle()

    def renew(self) -> None:
        self.picture, self._curves, self._shaded = None, None, None
        super().renew()

    def resizeEvent(self, event: object) -> None:
        self.renew()

    def current(self) -> PulsePicture | None:
        """Return the picture, laid out if need be."""
        if self.picture is None and self.session is not None:
            self.picture = layout_pulse(self.session, self.width() - 8, self._left_px)
        return self.picture

    def summary(self) -> str:
        if self.session is None:
            return tr("No take is open.")
        frozen = len(self.session.axis.frozen)
        return tr(
            "{columns} frames, {frozen} frozen, {findings} findings.",
            columns=self.session.axis.columns,
            frozen=frozen,
            findings=len(self.session.findings),
        )

    def spoken(self) -> list[Spoken]:
        picture, session = self.current(), self.session
        if picture is None or session is None:
            return []
        return [
            Spoken(tr("frozen for {text}", text=text), (x - 4, 0.0, 60.0, float(self.height())))
            for x, text, _ in picture.frozen
        ]

    def paint(self, painter: QPainter, session: Session) -> None:
        picture = self.current()
        if picture is None:
            return
        if self._curves is None or self._shaded is None:
            self._curves = self._draw_curves(picture)
            self._shaded = self._draw_shaded(picture, self._curves)
        overlay = layout_overlay(session, picture.scale)
        low, high = overlay.window
        bottom = self.height() - self._bottom_px + TICK_PX
        if high - low >= picture.scale.width - 1:
            painter.drawPixmap(0, 0, self._curves)
        else:
            painter.drawPixmap(0, 0, self._shaded)
            left, right = round(low), max(round(low) + 1, round(high))
            ratio = self._curves.devicePixelRatio()
            shown = QRectF(left * ratio, 0, (right - left) * ratio, self._curves.height())
            painter.drawPixmap(QRectF(left, 0, right - left, self.height()), self._curves, shown)
            painter.setPen(QPen(self.colour("focus"), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(low, 1, max(3.0, high - low), bottom - 2))
        if overlay.selected is not None:
            painter.setPen(QPen(self.colour("ink"), 1))
            painter.drawLine(QPointF(overlay.selected, 0), QPointF(overlay.selected, bottom))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self.colour("focus"))
        for x in overlay.marks:
            painter.drawRect(QRectF(x - 2, 0, 4, 6))

    def _draw_shaded(self, picture: PulsePicture, curves: QPixmap) -> QPixmap:
        """Return the curves as they are seen beyond the window: shaded once, not at each step of panning."""
        shaded = QPixmap(curves)
        painter = ForeignPainter(shaded)
        shade = self.colour("panel")
        shade.setAlpha(SHADE_ALPHA)
        bottom = self.height() - self._bottom_px + TICK_PX
        painter.fillRect(QRectF(self._left_px, 0, picture.scale.width, bottom), shade)
        painter.end()
        return shaded

    def _draw_curves(self, picture: PulsePicture) -> QPixmap:
        ratio = self.devicePixelRatioF()
        pixmap = QPixmap(int(self.width() * ratio), int(self.height() * ratio))
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(self.colour("paper"))
        painter = ForeignPainter(pixmap)
        middle = TOP_PX + (self.height() - TOP_PX - self._bottom_px) * 0.62
        base = self.height() - self._bottom_px - 2
        painter.setFont(self.small_font(2))
        painter.setPen(self.colour("quiet"))
        painter.drawText(
            QRectF(8, TOP_PX, self._left_px - 16, middle - TOP_PX),
            Qt.AlignmentFlag.AlignVCenter,
            tr("work ≤ {time}", time=short_time(picture.top_ms * 1e6)),
        )
        painter.drawText(
            QRectF(8, middle, self._left_px - 16, base - middle), Qt.AlignmentFlag.AlignVCenter, tr("calls")
        )
        painter.drawText(
            QRectF(8, base, self._left_px - 16, self._bottom_px + 2), Qt.AlignmentFlag.AlignVCenter, tr("findings")
        )
        tall = middle - TOP_PX - 3
        length = self.colour("faint")
        self._draw_bars(painter, picture.length, QRectF(picture.scale.left, middle - tall, 0, tall), length, ratio)
        if picture.budget <= 1:
            painter.setPen(self.colour("line"))
            y = middle - picture.budget * tall
            painter.drawLine(QLineF(picture.scale.left, y, picture.scale.left + picture.scale.width, y))
        painter.setPen(self.colour("line"))
        painter.drawLine(QLineF(picture.scale.left, middle, picture.scale.left + picture.scale.width, middle))
        colour = self.look.via("timer")
        low_tall = base - middle - 3
        self._draw_bars(painter, picture.calls, QRectF(picture.scale.left, base - low_tall, 0, low_tall), colour, ratio)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.colour("rose"), 3))
        painter.drawLines([QLineF(x, TOP_PX, x, base) for x, _, _ in picture.frozen])
        self._write_frozen(painter, picture)
        for x, severity in picture.ticks:
            painter.setPen(QPen(self.colour("rose" if severity == "fault" else "quiet"), 1))
            painter.drawLine(QPointF(x, base + 5), QPointF(x, base + 5 + TICK_PX))
        painter.end()
        return pixmap

    def _write_frozen(self, painter: QPainter, picture: PulsePicture) -> None:
        """Write what the longest frozen frames cost, those that have room beside longer ones."""
        painter.setFont(self.small_font(1, bold=True))
        painter.setPen(self.colour("rose"))
        metrics = painter.fontMetrics()
        written: list[tuple[float, float]] = []
        for x, text, _ in sorted(picture.frozen, key=lambda frozen: -frozen[2])[:MOST_FROZEN_NAMES]:
            room = metrics.horizontalAdvance(text) + 8.0
            left = x + 4 if x + room + 6 < self.width() else x - room - 4
            if takes_room(written, left, left + room):
                box = QRectF(left, TOP_PX - 2, room, metrics.height())
                painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, text)

    def _draw_bars(self, painter: QPainter, shares: Array, box: QRectF, colour: QColor, ratio: float) -> None:
        """Draw one bar a pixel from the box's foot, as high as its share of the box: at once, for there are thousands."""
        rows, columns = max(1, round(box.height() * ratio)), round(len(shares) * ratio)
        if not columns:
            return
        index = np.minimum((np.arange(columns) / ratio).astype(np.int64), len(shares) - 1)
        heights = np.ceil(np.clip(shares, 0, 1) * rows)[index]
        shade = np.uint32(premultiplied(colour, colour.alpha()))
        canvas = np.where(np.arange(rows)[:, None] >= rows - heights, shade, np.uint32(0))
        painter.drawImage(box.topLeft(), image_of(canvas, ratio))

    # --- hands -----------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        if event.button() == Qt.MouseButton.LeftButton and self.session is not None:
            self._pressed = event.position()
            self._window_at_press = (self.session.low, self.session.high)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        picture, session = self.current(), self.session
        if picture is None or session is None:
            return
        if self._pressed is None:
            column = session.axis.column_at(picture.scale.position(event.position().x()))
            if session.axis.columns and event.position().x() >= self._left_px:
                row = session.axis.row_of_column(column)
                text = tr(
                    "frame {number} · {time}",
                    number=session.axis.numbers[column],
                    time=short_time(float(session.frame_lengths[row])),
                )
                near = session.axis.column_at(picture.scale.position(event.position().x() - NOTE_PX))
                far = session.axis.column_at(picture.scale.position(event.position().x() + NOTE_PX))
                notes = [note for marked, note in session.marks.notes.items() if near <= marked <= far]
                text = plain_tooltip("\n".join([text, *notes])) if notes else text
                QToolTip.showText(self.mapToGlobal(event.position().toPoint()), text, self)
            return
        if abs(event.position().x() - self._pressed.x()) < DRAG_FROM_PX:
            return
        edges = (picture.scale.position(self._pressed.x()), picture.scale.position(event.position().x()))
        session.set_window(min(edges), max(edges), tr("drag on the Pulse"))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        picture, session = self.current(), self.session
        if self._pressed is None or picture is None or session is None:
            return
        if abs(event.position().x() - self._pressed.x()) < DRAG_FROM_PX:
            width = session.high - session.low
            centre = picture.scale.position(event.position().x())
            session.set_window(centre - width / 2, centre + width / 2)
        self._pressed = None
        session.settle()

    def wheelEvent(self, event: QWheelEvent) -> None:
        picture, session = self.current(), self.session
        if picture is not None and session is not None:
            session.zoom(1.25 ** (event.angleDelta().y() / 120), picture.scale.position(event.position().x()))
            session.settle()
