"""Pictures of the weaves as SVG, from the same layouts that the desk paints. Colours are classes: the page chooses them."""

from __future__ import annotations

from xml.etree import ElementTree as Xml

import numpy as np

from opossum.foreign_text import shown
from opossum_desk.flow.layout.loom import LoomPicture
from opossum_desk.layout.bead import FADED_SIZE, BeadState, shape_of
from opossum_desk.layout.heights import HEADER_PX, ROW_PX
from opossum_desk.layout.row_picture import Label, PixelBars, RowPicture
from opossum_desk.layout.scale import Scale, axis_title

LETTER_PX = 6.4
"""About how wide a letter is: a page has no font to measure by, so names are cut a little early."""


def role_class(role: str) -> str:
    """Return the class of a colour's role: ``via:timer`` is `via-timer`."""
    return role.replace(":", "-") or "ink"


def cut(text: str, width: float) -> str:
    """Return a text that fits about `width` px, cut in its middle."""
    text = shown(text)
    room = max(3, int(width / LETTER_PX))
    if len(text) <= room:
        return text
    half = (room - 1) // 2
    return f"{text[:half]}…{text[-half:]}"


class Drawing:
    """An SVG picture in the making, `width` × `height` px; `named` says what it shows to those who listen."""

    def __init__(self, width: float, height: float, named: str) -> None:
        self.width, self.height = width, height
        self.root = Xml.Element(
            "svg", {"viewBox": f"0 0 {width:g} {height:g}", "width": f"{width:g}", "role": "img", "class": "picture"}
        )
        Xml.SubElement(self.root, "title").text = shown(named)

    def add(self, tag: str, role: str, **attributes: float | str) -> Xml.Element:
        """Add one shape in the colour of a role."""
        told = {
            name.replace("_", "-"): value if isinstance(value, str) else f"{value:.4g}"
            for name, value in attributes.items()
        }
        return Xml.SubElement(self.root, tag, {"class": role_class(role), **told})

    def box(self, role: str, x: float, y: float, width: float, height: float, opacity: float = 1.0) -> None:
        """Add a filled box."""
        self.add(
            "rect", f"fill {role_class(role)}", x=x, y=y, width=max(0.0, width), height=height, fill_opacity=opacity
        )

    def line(self, role: str, x: float, y: float, x2: float, y2: float, width: float = 1.2, dash: str = "") -> None:
        """Add a line."""
        dashes = {"dash": {"stroke_dasharray": "5 3"}, "dot": {"stroke_dasharray": "2 2"}}.get(dash, {})
        self.add("line", f"stroke {role_class(role)}", x1=x, y1=y, x2=x2, y2=y2, stroke_width=width, **dashes)

    def text(self, role: str, x: float, y: float, text: str, bold: bool = False, small: bool = False) -> None:
        """Add a text with its middle at y."""
        classes = f"text {role_class(role)}{' bold' if bold else ''}{' small' if small else ''}"
        self.add("text", classes, x=x, y=y + 4).text = shown(text)

    def bead(self, via: str, state: int, x: float, y: float, size: float, faded: bool = False) -> None:
        """Add a bead: filled if it did something, hollow if not, dotted if its owner was gone, twin if twice."""
        wrong = state in (BeadState.GONE, BeadState.TWIN) or via == "wrong"
        role = "rose" if wrong else f"via-{via or 'direct'}"
        if faded:
            role, size = "faint", size * FADED_SIZE
        if state == BeadState.TWIN:
            for side in (-1, 1):
                self._shape(f"fill {role}", via, x + side * size * 0.31, y, size * 0.62)
        elif state == BeadState.GONE:
            self._shape(f"stroke {role}", via, x, y, size, stroke_width=1.7, stroke_dasharray="1.9 2.5")
        elif state == BeadState.IDLE:
            self._shape(f"stroke {role}", via, x, y, size * 0.55, stroke_width=1.3)
        else:
            opacity = 0.45 if state == BeadState.UNKNOWN else 1.0
            self._shape(f"fill {role}", via, x, y, size * 0.92, fill_opacity=opacity)

    def _shape(self, classes: str, via: str, x: float, y: float, size: float, **more: float | str) -> None:
        """Add the outline that a way an event came about has."""
        shape = shape_of(via)
        if shape.corners:
            corners = " ".join(f"{x + left * size:.1f},{y + down * size:.1f}" for left, down in shape.corners)
            self.add("polygon", classes, points=corners, **more)
        else:
            across, down = shape.half_axes
            self.add("ellipse", classes, cx=x, cy=y, rx=across * size, ry=down * size, **more)

    def header(self, scale: Scale, grid: list[tuple[float, str]]) -> None:
        """Add the line of frame numbers above everything."""
        self.text("quiet", 12, HEADER_PX / 2, axis_title(grid), small=True)
        for x, label in grid:
            if scale.left - 4 <= x <= self.width - 16:
                self.text("quiet", x - len(label) * 3, HEADER_PX / 2, label, small=True)
        self.line("line", 0, HEADER_PX, self.width, HEADER_PX, 1.0)

    def finished(self) -> str:
        """Return the picture as a text that stands in a page."""
        return Xml.tostring(self.root, encoding="unicode")


def rows_svg(picture: RowPicture, width: float, height: float, named: str) -> str:
    """Return a weave of rows as SVG."""
    drawing = Drawing(width, height, named)
    if picture.selected is not None:
        left, right = picture.selected
        drawing.box("choice", left, HEADER_PX, max(2.0, right - left), height - HEADER_PX)
    for left, right in picture.frozen:
        drawing.box("rose", left, HEADER_PX, right - left, height - HEADER_PX, 0.18)
    for x, _ in picture.grid:
        drawing.line("line", x, HEADER_PX, x, height, 1.0)
    for boxes in picture.boxes:
        for x, y, box_width, box_height in boxes.boxes.tolist():
            drawing.box(boxes.role, x, y, box_width, box_height, boxes.alpha / 255)
    for bars in picture.bars:
        _draw_bars(drawing, bars)
    for lines in picture.lines:
        for x, y, x2, y2 in lines.ends.tolist():
            drawing.line(lines.role, x, y, x2, y2, lines.width, lines.dash)
    for run in picture.dots:
        for x, y in zip(run.xs.tolist(), run.ys.tolist(), strict=True) if run.size else ():
            drawing.bead(run.via, run.state, x, y, run.size, run.faded)
    for words in picture.words:
        drawing.text(words.role, words.x, words.y, words.text, small=True)
    drawing.box("paper", 0, HEADER_PX, picture.scale.left - 8, height)
    for label in picture.labels:
        _draw_label(drawing, label, picture.scale.left - 12)
    drawing.box("paper", 0, 0, width, HEADER_PX)
    drawing.header(picture.scale, picture.grid)
    return drawing.finished()


def _draw_bars(drawing: Drawing, bars: PixelBars) -> None:
    """Add bars of a pixel's width, one box for each run of equal ones."""
    for tops, bottoms in zip(np.atleast_2d(bars.tops), np.atleast_2d(bars.bottoms), strict=True):
        edges = np.column_stack((tops, bottoms))
        turns = np.flatnonzero(np.concatenate(([True], np.any(np.diff(edges, axis=0) != 0, axis=1))))
        for start, stop in zip(turns.tolist(), [*turns[1:].tolist(), len(edges)], strict=True):
            top, bottom = edges[start].tolist()
            if bottom > top:
                drawing.box(bars.role, bars.left + start, top, stop - start, bottom - top, bars.alpha / 255)


def _draw_label(drawing: Drawing, label: Label, room: float) -> None:
    left = 10 + label.indent
    middle = label.top + min(label.height, 20) / 2
    if label.lit:
        drawing.box("rose", 2, label.top + 3, 3, label.height - 6)
    drawing.text(label.role, left, middle, cut(label.text, room - left), bold=label.heads)
    for number, line in enumerate(label.detail.split("\n") if label.detail else []):
        drawing.text(label.detail_role, left, middle + 15 + 14 * number, cut(line, (room - left) * 1.1), small=True)


def loom_svg(picture: LoomPicture, vias: list[str], width: float, height: float, lit: list[int], named: str) -> str:
    """Return the Loom as SVG; `vias`: how each bead's call came about; `lit`: places of the lines that are meant."""
    drawing = Drawing(width, height, named)
    for number, (top, bottom, _) in enumerate(picture.phases):
        if number % 2:
            drawing.box("band", 0, top, width, bottom - top)
    if picture.selected is not None:
        left, right = picture.selected
        drawing.box("choice", left, HEADER_PX, max(2.0, right - left), height - HEADER_PX)
    for x, _ in picture.grid:
        drawing.line("line", x, HEADER_PX, x, height, 1.0)
    for band in picture.frozen:
        drawing.box("rose", band.left, HEADER_PX, band.right - band.left, height, 0.2)
        drawing.text("rose", max(band.left, picture.scale.left) + 4, HEADER_PX + 10, band.text, bold=True, small=True)
    for x, y, x2, y2 in picture.stitches.tolist():
        drawing.line("ink", x, y, x2, y2, 1.0)
    beads = picture.beads
    for place in range(len(beads) if beads is not None else 0):
        assert beads is not None
        y = picture.lines[int(beads.line[place])].top + ROW_PX / 2
        x, stretch = float(beads.x[place]), float(beads.stretch[place])
        if x < picture.scale.left - 6:
            continue
        if stretch > 1:
            drawing.line(f"via:{vias[place] or 'direct'}", x, y, x + stretch, y, 3.0)
        drawing.bead(vias[place], int(beads.state[place]), x, y, picture.bead_px)
    drawing.box("paper", 0, HEADER_PX, picture.scale.left - 8, height)
    for place, line in enumerate(picture.lines):
        name = f"{line.owner} ×{line.members}" if line.members > 1 else line.owner
        middle = line.top + ROW_PX / 2
        if place in lit:
            drawing.box("rose", 2, line.top + 3, 3, ROW_PX - 6)
        drawing.text("ink", 10, middle, cut(f"{name}  {line.function}", picture.scale.left - 24))
    drawing.box("paper", 0, 0, width, HEADER_PX)
    drawing.header(picture.scale, picture.grid)
    return drawing.finished()
