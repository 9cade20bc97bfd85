"""The layout of Clips: plays laid over each other, x is the place within the clip.

Cost: the pixels of the clips on screen, and the marks of those plays that are in view.
"""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from opossum.findings.finding import Finding
from opossum.words import counted, tr
from opossum_desk.clips.layout.pixels import ClipPixels, PlaysInView, pixels_of_clip
from opossum_desk.clips.layout.plays import Overlaid, OverlaidClip, owners_told
from opossum_desk.clips.layout.rows import ClipRow, Sort
from opossum_desk.layout.bead import BeadState
from opossum_desk.layout.row_picture import Boxes, Dots, Label, Lines, RowPicture, RowStack, RowsView, Words
from opossum_desk.layout.scale import Scale, seconds_marks
from opossum_desk.layout.wording import cause_title
from opossum_desk.state.peer_prefix import peer_prefix
from opossum_desk.state.session import Session

CLIP_PX, GRID_PX = 66.0, 20.0
BAR_PX = 15.0
MARGIN_PX = 24.0
LEAST_COLUMN_PX, MOST_COLUMN_PX = 64.0, 150.0
ARC_STEPS = 16
MOST_ARCS = 12
MOST_CUTS = 120
WORD_PX = 6.2
"""About how wide a letter of a mark's name is."""


def stack_rows(rows: list[ClipRow], line_px: float) -> RowStack:
    """Return the heights of all rows."""
    heights = {
        Sort.CLASS: line_px + 6,
        Sort.CLIP: max(CLIP_PX, line_px * 3),
        Sort.GRID_HEAD: line_px + 2,
        Sort.GRID: max(GRID_PX, line_px),
    }
    return RowStack(np.array([heights[row.sort] for row in rows]))


def layout_clips(
    known: Overlaid, session: Session, rows: list[ClipRow], stack: RowStack, view: RowsView, lit: Collection[int]
) -> RowPicture:
    """Return what to paint; `lit`: places of the rows that the chosen finding is about."""
    left, room = view.label_px + 8, max(1.0, view.width - view.label_px - 8 - MARGIN_PX)
    scale = Scale(0.0, 1.0, left, room)
    if not rows:
        empty = (
            tr("No clip passes the sieve. Empty it to see all.")
            if session.sieve.active
            else tr("This take holds no clips: no animation or track was recorded.")
        )
        return RowPicture(scale, empty=empty)
    picture = RowPicture(scale)
    # clips of one class share a scale: a track of minutes would press a clip of half a second flat
    longest: dict[tuple[int, str], float] = {}
    for row in rows:
        key = row.clip.peer, row.clip.cls
        longest[key] = max(longest.get(key, 0.0), row.clip.seconds)
    seen = plays_in_view(known, session)
    for place, top, height in stack.seen(view):
        row = rows[place]
        picture.scale = Scale(0.0, longest[row.clip.peer, row.clip.cls], left, room)
        picture.labels.append(_label(known, row, place, top, height, place in lit))
        if row.sort is Sort.CLASS:
            _draw_seconds(picture, top, height)
        elif row.sort is Sort.CLIP:
            _draw_clip(picture, known, seen, row, top + height / 2 + 4)
        elif row.sort is Sort.GRID_HEAD:
            _draw_grid_head(picture, known, row, top + height / 2)
        elif row.sort is Sort.GRID:
            _draw_grid(picture, known, row, top + height / 2)
    return picture


def _label(known: Overlaid, row: ClipRow, place: int, top: float, height: float, lit: bool) -> Label:
    clip = row.clip
    if row.sort is Sort.CLASS:
        peer = peer_prefix(known.take, clip.peer)
        return Label(top, height, place, f"{peer}{clip.cls or tr('the game')}", heads=True, faded=row.faded)
    if row.sort is Sort.GRID_HEAD:
        return Label(top, height, place, tr("has the mark"), role="quiet", indent=10.0)
    if row.sort is Sort.GRID:
        return Label(top, height, place, clip.clip, indent=10.0, lit=lit, faded=row.faded)
    told, role = clip_remark(known, row)
    return Label(top, height, place, clip.clip, told, "ink", role, 10.0, lit=lit, faded=row.faded)


def clip_remark(known: Overlaid, row: ClipRow) -> tuple[str, str]:
    """Return (how often it played and what is wrong with it, in lines; the colour); remembered, for every painting asks."""
    key = id(row.clip.plays), tuple((finding.id, finding.count) for finding in row.findings)
    if key not in known.remarks:
        known.remarks[key] = _clip_remark(known, row)
    return known.remarks[key]


def _clip_remark(known: Overlaid, row: ClipRow) -> tuple[str, str]:
    clip, marks = row.clip, known.take.marks
    plays = tr("{plays} of {owners_told}", plays=counted(len(clip.plays), "play"), owners_told=owners_told(known, clip))
    if row.findings:
        told = dict.fromkeys(_finding_told(finding) for finding in row.findings)
        return "\n".join([plays, *list(told)[:2]]), "rose"
    missed = int(np.count_nonzero((marks.send[clip.marks] < 0) & marks.passed[clip.marks]))
    lost = int(np.count_nonzero(known.lost[clip.plays]))
    if missed:
        return tr("{plays}\n{missed:,} of its marks never came", plays=plays, missed=missed), "quiet"
    if lost:
        return tr("{plays}\n{lost:,} of them cut before a mark", plays=plays, lost=lost), "quiet"
    return f"{plays}\n{tr('all marks came') if clip.planned else tr('no marks')}", "quiet"


def _finding_told(finding: Finding) -> str:
    mark = f" {finding.subject.mark}" if finding.subject.mark else ""
    count = tr(", {count:,} times", count=finding.count) if finding.count > 1 else ""
    return f"{cause_title(finding)}{mark}{count}"


def _draw_seconds(picture: RowPicture, top: float, height: float) -> None:
    """Write the seconds within the clips of a class above them."""
    scale = picture.scale
    marks = seconds_marks(scale, 80.0)
    base = top + height - 2
    ends = [(scale.left, base, scale.left + scale.width, base)]
    ends += [(x, base - 4, x, base) for x, _ in marks]
    picture.lines.append(Lines("line", np.array(ends), 1.0))
    picture.words += [Words(x + 3, base - 7, label) for x, label in marks if x < scale.left + scale.width - 20]


# --- one clip ------------------------------------------------------------------------------------------


def _draw_clip(picture: RowPicture, known: Overlaid, seen: PlaysInView, row: ClipRow, y: float) -> None:
    clip, scale = row.clip, picture.scale
    role = "via:net" if clip.is_track else "via:clip"
    x2 = scale.x(clip.seconds)
    picture.boxes.append(Boxes(role, np.array([[scale.left, y - BAR_PX / 2, x2 - scale.left, BAR_PX]]), 52))
    edges = [(scale.left, y + side * BAR_PX / 2, x2, y + side * BAR_PX / 2) for side in (-1, 1)]
    picture.lines.append(Lines(role, np.array(edges), 1.0))
    pixels = pixels_of_clip(known, clip, scale)
    _draw_waits(picture, pixels, y)
    _draw_planned(picture, known, clip, y)
    _draw_marks(picture, known, pixels, y, seen, row)
    _draw_cuts(picture, pixels, y)
    _draw_delays(picture, known, pixels, y, row)


def plays_in_view(known: Overlaid, session: Session) -> PlaysInView:
    """Return which plays reach into the visible stretch."""
    window = np.interp([session.low, session.high], session.axis.edges, session.axis.starts_ns)
    return PlaysInView.of((known.begins_ns <= window[1]) & (known.take.plays.end_ns >= window[0]))


def _draw_planned(picture: RowPicture, known: Overlaid, clip: OverlaidClip, y: float) -> None:
    """Draw planned marks as tall ticks with their names above, as far as there is room."""
    scale, right = picture.scale, -1e9
    ends = []
    for number, seconds in clip.planned:
        x = scale.x(seconds)
        ends.append((x, y - 15.0, x, y + 11.0))
        name = known.name_of(number)
        if x > right:
            picture.words.append(Words(x + 3, y - 13, name, "focus"))
            right = x + 8 + WORD_PX * len(name)
    if ends:
        picture.lines.append(Lines("focus", np.array(ends), 1.8))


def _draw_marks(
    picture: RowPicture, known: Overlaid, pixels: ClipPixels, y: float, seen: PlaysInView, row: ClipRow
) -> None:
    """Draw each mark as a dot where it really came, hollow where it was passed and never came; pale where its play is not in view."""
    sends = known.take.marks.send
    for dots, via, state, size in (
        (pixels.came, "direct", BeadState.DID, 4.6),
        (pixels.missed, "wrong" if row.findings else "direct", BeadState.IDLE, 8.0),
    ):
        shown, stands = dots.in_view(seen)
        pale = np.ones(len(dots.xs), bool)
        pale[shown] = False
        for which, rows, is_pale in ((np.flatnonzero(pale), dots.first[pale], True), (shown, stands, False)):
            if len(which):
                picture.dots.append(
                    Dots(via, state, dots.xs[which], y + dots.lanes[which], "send", sends[rows], size, is_pale)
                )


def _draw_cuts(picture: RowPicture, pixels: ClipPixels, y: float) -> None:
    """Draw where plays were cut, ragged; rose where a mark was still to come."""
    steps = [(0.0, -9.0, 3.0, -5.0), (3.0, -5.0, -1.0, 0.0), (-1.0, 0.0, 3.0, 5.0), (3.0, 5.0, 0.0, 9.0)]
    for role, cuts in (("quiet", pixels.cuts), ("rose", pixels.lost)):
        xs = cuts[:MOST_CUTS]
        if len(xs):
            ends = np.concatenate(
                [np.column_stack((xs + a, xs * 0 + y + b, xs + c, xs * 0 + y + d)) for a, b, c, d in steps]
            )
            picture.lines.append(Lines(role, ends, 1.3))


def _draw_delays(picture: RowPicture, known: Overlaid, pixels: ClipPixels, y: float, row: ClipRow) -> None:
    """Draw delays that acted beside the clip: an arc for each event from where it was set, a dot where each landed."""
    told = {finding.subject.ev for finding in row.findings if finding.subject.ev}
    for number, delays in enumerate(pixels.delays):
        wrong = known.take.text(delays.event) in told
        x, x2 = delays.set_x, delays.landed_x
        if number < MOST_ARCS:
            share = np.linspace(0.0, 1.0, ARC_STEPS + 1)
            height = min(22.0, max(8.0, (x2 - x) * 0.2))
            ax, ay = x + (x2 - x) * share, y - BAR_PX / 2 - height * 4 * share * (1 - share)
            ends = np.column_stack((ax[:-1], ay[:-1], ax[1:], ay[1:]))
            picture.lines.append(Lines("rose" if wrong else "via:delay", ends, 1.4))
        ys, via = np.full(len(delays.xs), y - BAR_PX / 2), "wrong" if wrong else "delay"
        picture.dots.append(Dots(via, BeadState.DID, delays.xs, ys, "send", delays.sends, 6.0))


def _draw_waits(picture: RowPicture, pixels: ClipPixels, y: float) -> None:
    """Draw waits as dashed lines below the bar; those that were never met in rose, to the clip's end."""
    for waits, role in ((pixels.met, "quiet"), (pixels.vain, "rose")):
        if len(waits):
            ys = np.full(len(waits), y + BAR_PX / 2 + 5)
            picture.lines.append(Lines(role, np.column_stack((waits[:, 0], ys, waits[:, 1], ys)), 1.3, "dash"))


# --- the grid of marks ---------------------------------------------------------------------------------


def _columns(picture: RowPicture, row: ClipRow) -> tuple[float, int]:
    """Return (px of a column, how many columns there is room for)."""
    width = float(np.clip(picture.scale.width / max(1, len(row.marks)), LEAST_COLUMN_PX, MOST_COLUMN_PX))
    # a third of a width goes into it three times, whatever is lost in rounding
    return width, min(len(row.marks), int(picture.scale.width / width + 1e-6))


def _draw_grid_head(picture: RowPicture, known: Overlaid, row: ClipRow, y: float) -> None:
    width, count = _columns(picture, row)
    room = max(3, int(width / WORD_PX) - 1)
    for place, number in enumerate(row.marks[:count]):
        name = known.name_of(number)
        name = name if len(name) <= room else name[: room - 1] + "…"
        picture.words.append(Words(picture.scale.left + place * width, y, name, "focus"))
    if count < len(row.marks):
        x = picture.scale.left + count * width - 30
        picture.words.append(Words(x, y - 9, tr("and {marks:,} more", marks=len(row.marks) - count)))


def _draw_grid(picture: RowPicture, known: Overlaid, row: ClipRow, y: float) -> None:
    width, count = _columns(picture, row)
    has = {number for number, _ in row.clip.planned}
    lacking = {finding.subject.mark for finding in row.findings if finding.kind == "missing-mark"}
    for place, number in enumerate(row.marks[:count]):
        xs = np.array([picture.scale.left + place * width + 8])
        wrong = known.name_of(number) in lacking
        state = BeadState.DID if number in has else BeadState.IDLE
        via = "wrong" if wrong else "clip"
        size = 8.0 if number in has else 12.0
        picture.dots.append(
            Dots(via, state, xs, np.array([y]), "play", row.clip.plays[:1], size, number not in has and not wrong)
        )
    edge = np.array([[picture.scale.left, y + 10, picture.scale.left + picture.scale.width, y + 10]])
    picture.lines.append(Lines("band", edge, 1.0))
