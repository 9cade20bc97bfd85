"""The picture that proves a finding: its weave, where it shows, drawn as the desk would draw it."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from opossum.findings.catalogue import weave_of
from opossum.findings.finding import Finding
from opossum_desk.clips.layout.clips import layout_clips
from opossum_desk.clips.layout.clips import stack_rows as stack_clips
from opossum_desk.clips.layout.plays import Overlaid
from opossum_desk.clips.layout.rows import Sort as ClipSort
from opossum_desk.clips.layout.rows import clip_rows
from opossum_desk.clips.layout.rows import tells_of as clip_is_meant
from opossum_desk.flow.layout.finding_marks import finding_marks
from opossum_desk.flow.layout.loom import layout_loom
from opossum_desk.layout.heights import HEADER_PX, ROW_PX
from opossum_desk.layout.row_picture import RowPicture, RowStack, RowsView
from opossum_desk.pacing.layout.gathering import recurring
from opossum_desk.pacing.layout.pacing import layout_pacing
from opossum_desk.pacing.layout.pacing import stack_rows as stack_paced
from opossum_desk.pacing.layout.recurring import Recurring
from opossum_desk.pacing.layout.worst_first import paced_rows
from opossum_desk.pacing.layout.worst_first import tells_of as recurs
from opossum_desk.report.svg import loom_svg, rows_svg
from opossum_desk.roster.layout.labels import stack_rows as stack_roster
from opossum_desk.roster.layout.listeners import RosterListeners
from opossum_desk.roster.layout.meant import meant_listeners, meant_rows
from opossum_desk.roster.layout.roster import layout_roster
from opossum_desk.roster.layout.rows import Sort, roster_rows
from opossum_desk.state.session import Session

WIDTH, LABELS, LINE_PX = 860.0, 230.0, 20.0
MOST_ROWS = 14
"""Rows of one picture: what the finding is about, and what stands beside it."""
AROUND_FRAMES = 14
"""Frames on either side of the first one in a picture of the Loom."""


class Pictures:
    """Draws the pictures of one session's findings; what they need of the take is gathered once."""

    def __init__(self, session: Session) -> None:
        self.session = session

    @cached_property
    def _listeners(self) -> RosterListeners:
        return RosterListeners(self.session.take)

    @cached_property
    def _recurring(self) -> list[Recurring]:
        return recurring(self.session.take)

    @cached_property
    def _overlaid(self) -> Overlaid:
        return Overlaid(self.session.take)

    def of(self, finding: Finding) -> str:
        """Return the picture of a finding as SVG, empty where there is nothing to draw."""
        session, weave = self.session, weave_of(finding.kind, finding.cause)
        if not session.axis.columns:
            return ""
        session.choose_weave(weave)
        session.show_finding(finding)
        draw = {"roster": self._roster, "pacing": self._pacing, "clips": self._clips}.get(weave)
        return (draw(finding) if draw is not None else "") or self._loom(finding)

    def _named(self, finding: Finding) -> str:
        return finding.summary.replace("`", "")

    def _loom(self, finding: Finding) -> str:
        session = self.session
        columns = session.columns_of(finding)
        if not len(columns):
            return ""
        column = session.column if session.column >= 0 else int(columns[0])
        session.viewport.show_columns(column - AROUND_FRAMES, column + AROUND_FRAMES + 1)
        session.order_rows()
        meant = {session.row_index.row_of_call(int(call), session.unfolded) for call in finding.calls[:2000].tolist()}
        awake = session.rows[: max(1, session.awake)]
        # what is meant first, then what else is awake, in the order they run
        kept = [row for row in awake if row in meant][:MOST_ROWS]
        kept += [row for row in awake if row not in meant][: MOST_ROWS - len(kept)]
        session.rows = [row for row in awake if row in kept]
        session.awake = len(session.rows)
        height = HEADER_PX + ROW_PX * len(session.rows) + 6
        picture = layout_loom(session, WIDTH, height, 0.0, LABELS)
        beads = picture.beads
        vias = [session.take.text(int(code)) for code in beads.via.tolist()] if beads is not None else []
        lit = finding_marks(session, picture).lit
        return loom_svg(picture, vias, WIDTH, height, lit, self._named(finding))

    def _roster(self, finding: Finding) -> str:
        known, session = self._listeners, self.session
        listeners = meant_listeners(known, finding)
        opened = {known.key_of_group(int(known.group[listener])) for listener in list(listeners)[:MOST_ROWS]}
        rows = roster_rows(known, session, opened)
        meant = meant_rows(known, rows, finding, session.findings)
        if not meant.places:
            return ""
        # the events that are meant, with whoever of theirs is meant
        heads = [place for place, row in enumerate(rows) if row.sort is Sort.EVENT]
        wanted = set(sorted(meant.places)[:MOST_ROWS])
        wanted |= {max((head for head in heads if head <= place), default=place) for place in wanted}
        for head in [place for place in wanted if rows[place].sort is Sort.EVENT]:
            below = [place for place in range(head + 1, min(len(rows), head + 4)) if rows[place].sort is not Sort.EVENT]
            wanted |= set(below[: max(0, MOST_ROWS - len(wanted))])
        kept = [rows[place] for place in sorted(wanted)]
        meant = meant_rows(known, kept, finding, session.findings)
        stack = stack_roster(known, kept, LINE_PX)
        picture = layout_roster(known, session, kept, stack, _whole(stack), meant)
        return self._rows(picture, stack, finding)

    def _pacing(self, finding: Finding) -> str:
        rows = [row for row in paced_rows(self.session, self._recurring) if recurs(finding, row.recurring)][:MOST_ROWS]
        if not rows:
            return ""
        stack = stack_paced(rows, LINE_PX)
        return self._rows(layout_pacing(self.session, rows, stack, _whole(stack), set()), stack, finding)

    def _clips(self, finding: Finding) -> str:
        known = self._overlaid
        rows = clip_rows(known, self.session)
        classes = {
            (row.clip.peer, row.clip.cls)
            for row in rows
            if row.sort is ClipSort.CLIP and clip_is_meant(known, finding, row.clip)
        }
        kept = [row for row in rows if (row.clip.peer, row.clip.cls) in classes][: 2 * MOST_ROWS]
        if not kept:
            return ""
        lit = {
            place
            for place, row in enumerate(kept)
            if row.sort in (ClipSort.CLIP, ClipSort.GRID) and clip_is_meant(known, finding, row.clip)
        }
        stack = stack_clips(kept, LINE_PX)
        picture = layout_clips(known, self.session, kept, stack, _whole(stack), lit)
        return self._rows(picture, stack, finding)

    def _rows(self, picture: RowPicture, stack: RowStack, finding: Finding) -> str:
        return rows_svg(picture, WIDTH, float(np.ceil(_whole(stack).height)), self._named(finding))


def _whole(stack: RowStack) -> RowsView:
    """Return a view that shows all rows of a stack."""
    return RowsView(WIDTH, stack.height + HEADER_PX + 8, 0.0, LABELS, LINE_PX)
