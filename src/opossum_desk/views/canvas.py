"""What painted views share: focus ring, colours, hands on the shared axis, a spoken summary."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QFont,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QScrollBar, QWidget

from opossum.foreign_text import shown
from opossum.stream.tables import Array
from opossum.words import counted, tr
from opossum_desk.layout.heights import DETAIL_PX, TARGET_PX, Heights
from opossum_desk.layout.wording import LETTER_PX, short_time
from opossum_desk.state.session import Session
from opossum_desk.views.foreign_painter import ForeignPainter
from opossum_desk.views.kept_pictures import KeptPictures
from opossum_desk.views.look import Look
from opossum_desk.views.pixel_sheet import image_of, premultiplied
from opossum_desk.views.speech import Spoken, SpokenChildren

SETTLE_MS = 280
"""Moving has come to rest when nothing moved for this long."""
DRAG_FROM_PX = 4
WASH_ALPHA, NARROW_WASH_ALPHA = 46, 130
"""How strongly a frozen frame is washed over: a narrow one would not be seen else."""
WASH_PX = 32
"""How tall the image is that a wash is drawn with."""
USUAL_SENTENCE = "every send of oven_on by Baker is heard within 2 frames, and never more than 3 times a second"


class Canvas(QWidget):
    """A painted view of a session."""

    def __init__(self, look: Look, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.look = look
        self.session: Session | None = None
        self._small_fonts: dict[tuple[int, bool], QFont] = {}
        self._heights: Heights | None = None
        self._letter_px: float | None = None
        self.setAccessibleName(name)
        self._speech = SpokenChildren(self, self.spoken)
        self._was_seen = self._was_left = False
        """Whether it was ever shown, and whether what it says was left as it was while it is hidden."""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        look.changed.connect(self.restyle)

    def restyle(self) -> None:
        """Forget what was drawn in the old look."""
        self.update()

    def set_session(self, session: Session | None) -> None:
        """Show a session, or nothing."""
        self.session = session
        self.renew()

    def renew(self) -> None:
        """Lay out again before the next painting, and say anew what is seen; one that is hidden does so when it is seen again."""
        self._was_left = self._was_seen and not self.isVisible()
        if self._was_left:
            return
        self.update()
        self.setAccessibleDescription(shown(self.summary()))
        self._speech.renew()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._was_seen = True
        if self._was_left:
            self.renew()

    def summary(self) -> str:
        """Return what is seen, in a sentence, for those who listen."""
        return ""

    def spoken(self) -> list[Spoken]:
        """Return what is painted, thing by thing, for those who listen."""
        return []

    def colour(self, name: str) -> QColor:
        """Return a colour of the look by name."""
        return QColor(getattr(self.look.colours, name))

    def small_font(self, steps: int = 1, bold: bool = False) -> QFont:
        """Return the view's font, a little smaller, never below 11 px."""
        known = self._small_fonts.get((steps, bold))
        if known is None:
            known = self._small_fonts[steps, bold] = QFont(self.font())
            size = QFontMetricsF(known).height() / 1.17
            known.setPixelSize(max(11, round(size - steps)))
            known.setBold(bold)
        return known

    def role_colour(self, role: str, alpha: int = 255) -> QColor:
        """Return a colour of the look by name; ``via:timer`` is that of a way events come about."""
        kind, _, name = role.partition(":")
        colour = self.look.via(name) if kind == "via" else self.colour(kind)
        colour.setAlpha(alpha)
        return colour

    def wash(self, painter: QPainter, stripes: list[tuple[float, float, int]], top: float = 0.0) -> None:
        """Lay a wash of rose over stripes (from x, to x, how strongly) that reach from `top` to the foot of the view.

        They are a low image that is drawn again and again down to the foot: a sixth of what the stripes cost one by one.
        A brush made of it would do as well, but Qt spreads such fills over threads, and on a busy machine the window waited
        for theirs as long as for all else that is painted, and longer.
        """
        if not stripes:
            return
        ratio, across = self.devicePixelRatioF(), self.washed_across(stripes)
        pixels = np.tile(across, (max(1, round(WASH_PX * ratio)), 1))
        image = image_of(pixels, ratio)
        painter.save()
        painter.setClipRect(QRectF(0, top, self.width(), self.height() - top), Qt.ClipOperation.IntersectClip)
        for line in range(0, round(self.height() * ratio) + 1, len(pixels)):  # whole pixels of the device: no seams
            painter.drawImage(QPointF(0, line / ratio), image)
        painter.restore()

    def washed_across(self, stripes: list[tuple[float, float, int]]) -> Array:
        """Return a line of pixels as wide as the view, premultiplied ARGB, with stripes (from x, to x, how strongly) of rose."""
        ratio, rose = self.devicePixelRatioF(), self.colour("rose")
        across = np.zeros(max(1, round(self.width() * ratio)), np.uint32)
        shades = {alpha: premultiplied(rose, alpha) for alpha in {stripe[2] for stripe in stripes}}
        for left, right, alpha in stripes:
            across[max(0, round(left * ratio)) : max(0, round(right * ratio))] = shades[alpha]
        return across

    def line_px(self) -> float:
        """Return the height of a row with one line of text, by the font."""
        return float(max(TARGET_PX, self.fontMetrics().height() + 4))

    def letter_px(self) -> float:
        """Return how wide a letter of a sentence is, on the average of long ones, by the font."""
        if self._letter_px is None:
            width = QFontMetricsF(self.small_font()).horizontalAdvance(USUAL_SENTENCE)
            self._letter_px = max(LETTER_PX, width / len(USUAL_SENTENCE))
        return self._letter_px

    def detail_px(self) -> float:
        """Return the height of a line of what is said below a name, by the font."""
        return float(max(DETAIL_PX, self.small_metrics().height() + 1))

    def small_metrics(self) -> QFontMetricsF:
        """Return how large the smallest text is."""
        return QFontMetricsF(self.small_font(2))

    def heights(self) -> Heights:
        """Return how tall rows, strands and the header are, by the font."""
        if self._heights is None:
            self._heights = Heights.of_text(self.fontMetrics().height())
        return self._heights

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = ForeignPainter(self)
        try:
            painter.fillRect(self.rect(), self.colour("paper"))
            if self.session is not None:
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                self.paint(painter, self.session)
            if self.hasFocus():
                painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
                painter.setPen(QPen(self.colour("focus"), 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(self.rect().adjusted(1, 1, -1, -1))
        finally:
            painter.end()  # a painter that is left behind would end the whole desk

    def paint(self, painter: QPainter, session: Session) -> None:
        """Draw the session."""

    def changeEvent(self, event: QEvent) -> None:
        super().changeEvent(event)
        if event.type() == QEvent.Type.FontChange:
            self._small_fonts.clear()
            self._heights = self._letter_px = None
            if self.session is not None:
                self.restyle()
                self.renew()

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.update()
        self._speech.renew()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.update()


class AxisCanvas(Canvas):
    """A view on the shared axis: drag pans, Ctrl+wheel zooms, wheel scrolls, Shift+drag measures."""

    measured = Signal(str)

    def __init__(self, look: Look, name: str, parent: QWidget | None = None) -> None:
        super().__init__(look, name, parent)
        self.kept = KeptPictures(self)
        """Small pictures that come again while one pans."""
        self.label_px = 216.0
        self.is_on_axis = True
        """What lies under the pointer is a moment: dragging pans."""
        self.right_px = 0.0
        """Room at the right that the axis is not laid over."""
        self.setMouseTracking(True)
        self.scroll_bar = QScrollBar(Qt.Orientation.Vertical, self)
        self.scroll_bar.setProperty("role", "over")  # it lies over the picture: what is drawn of it keeps to the edge
        self.scroll_bar.setAccessibleName(tr("Scroll {name}", name=name))
        self.scroll_bar.valueChanged.connect(lambda _: self.renew())
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(SETTLE_MS)
        self._settle.timeout.connect(self._settled)
        self._pressed: QPointF | None = None
        self._dragging = ""
        self._measure: tuple[float, float] | None = None

    def restyle(self) -> None:
        self.kept.forget()
        super().restyle()

    # --- geometry ----------------------------------------------------------------------------------

    def content_height(self) -> float:
        """Return how tall all rows are."""
        return 0.0

    def plot_width(self) -> float:
        """Return the width the axis is laid over."""
        return max(1.0, self.width() - self.label_px - self.right_px)

    def position_at(self, x: float) -> float:
        """Return the axis position under a pixel."""
        assert self.session is not None
        share = (x - self.label_px) / self.plot_width()
        return self.session.low + share * (self.session.high - self.session.low)

    def resizeEvent(self, event: Any) -> None:
        self._place_scroll_bar()
        self.renew()

    def _place_scroll_bar(self) -> None:
        width = round(TARGET_PX)
        self.scroll_bar.setGeometry(self.width() - width, 0, width, self.height())
        room = max(0, int(self.content_height() - self.height()))
        self.scroll_bar.setPageStep(max(1, self.height()))
        self.scroll_bar.setSingleStep(19)
        self.scroll_bar.setMaximum(room)
        self.scroll_bar.setVisible(room > 0)

    # --- hands -------------------------------------------------------------------------------------

    def wheelEvent(self, event: QWheelEvent) -> None:
        session = self.session
        if session is None:
            return
        steps = event.angleDelta().y() / 120 or event.pixelDelta().y() / 40
        sideways = event.angleDelta().x() / 120
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            middle = (session.low + session.high) / 2
            at = self.position_at(max(self.label_px, event.position().x())) if self.is_on_axis else middle
            session.zoom(1.25**steps, at)
            self._settle.start()
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier or sideways:
            session.pan(-(steps or sideways) * (session.high - session.low) * 0.12)
            self._settle.start()
        else:
            self.scroll_bar.setValue(int(self.scroll_bar.value() - steps * 57))
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        if self.session is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._pressed = event.position()
        self._dragging = ""

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        session = self.session
        if session is None:
            return
        if self._pressed is None:
            self.hover(event.position())
            return
        moved = event.position() - self._pressed
        far = moved.manhattanLength() >= DRAG_FROM_PX
        if not self._dragging and far and self.is_on_axis and self._pressed.x() >= self.label_px:
            shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._dragging = "measure" if shift else "pan"
            self._origin = self.position_at(self._pressed.x())
        if self._dragging == "pan":
            session.pan(self._origin - self.position_at(event.position().x()))
            self.scroll_bar.setValue(int(self.scroll_bar.value() - (event.position().y() - self._last_y(event))))
            self._settle.start()
        elif self._dragging == "measure":
            here = self.position_at(event.position().x())
            result = session.measure(self._origin, here)
            self._measure = (self._origin, here)
            self.measured.emit(
                tr(
                    "Measured: {frames} · {time} · {calls}",
                    frames=counted(result.frames, "frame"),
                    time=short_time(float(result.duration_ns)),
                    calls=counted(result.calls, "call"),
                )
            )
            self.update()
        self._before_y = event.position().y()

    def _last_y(self, event: QMouseEvent) -> float:
        return getattr(self, "_before_y", event.position().y())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None and not self._dragging and self.session is not None:
            self.click(event.position())
        self._pressed, self._dragging = None, ""
        if hasattr(self, "_before_y"):
            del self._before_y

    def leaveEvent(self, event: QEvent) -> None:
        if self.session is not None:
            self.session.set_hover(-1)

    def hover(self, point: QPointF) -> None:
        """Take note of where the pointer is."""

    def click(self, point: QPointF) -> None:
        """Take a click that was no drag."""

    def _settled(self) -> None:
        if self.session is not None:
            self.session.settle()

    def renew(self) -> None:
        """Lay out again before the next painting."""
        self._place_scroll_bar()
        super().renew()

    # --- keys ----------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Scroll through the rows by Page Up, Page Down, Home and End; all other keys belong to the desk."""
        page = max(40, self.height() - round(self.heights().header) - 40)
        scrolls = {
            Qt.Key.Key_PageUp: -page,
            Qt.Key.Key_PageDown: page,
            Qt.Key.Key_Home: -self.scroll_bar.maximum(),
            Qt.Key.Key_End: self.scroll_bar.maximum(),
        }
        by = scrolls.get(Qt.Key(event.key()))
        if by is None or event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            event.ignore()
        else:
            self.scroll_bar.setValue(self.scroll_bar.value() + by)

    # --- drawing what all axis views have ------------------------------------------------------------

    def paint_measure(self, painter: QPainter) -> None:
        """Draw the measured stretch, if any."""
        if self._measure is None or self.session is None:
            return
        low, high = sorted(self._measure)
        unit = self.plot_width() / (self.session.high - self.session.low)
        left, right = (self.label_px + (edge - self.session.low) * unit for edge in (low, high))
        wash = self.colour("focus")
        wash.setAlpha(40)
        painter.fillRect(QRectF(left, 0, right - left, self.height()), wash)
        painter.setPen(QPen(self.colour("focus"), 1))
        for x in (left, right):
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))

    def clear_measure(self) -> None:
        """Forget the measured stretch."""
        self._measure = None
        self.update()


def text_cutter(font: QFont) -> Callable[[str, float], str]:
    """Return a function that cuts a text to a width, remembering what it cut."""
    metrics = QFontMetricsF(font)
    known: dict[tuple[str, float], str] = {}

    def cut(text: str, width: float) -> str:
        key = (text, width)
        if key not in known:
            if len(known) > 4000:
                known.clear()
            known[key] = metrics.elidedText(shown(text), Qt.TextElideMode.ElideMiddle, width)
        return known[key]

    return cut
