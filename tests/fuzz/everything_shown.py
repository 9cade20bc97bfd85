"""Everything that commands and the desk make of a take, without a window: whatever raises here would have raised there."""

from __future__ import annotations

import numpy as np

from opossum.findings.blind_spots import blind_spots
from opossum.findings.examine import examine
from opossum.take.checks import check_take
from opossum.take.take import Take
from opossum_desk.clips.layout.clips import layout_clips
from opossum_desk.clips.layout.clips import stack_rows as stack_clips
from opossum_desk.clips.layout.plays import Overlaid
from opossum_desk.clips.layout.rows import clip_rows
from opossum_desk.flow.layout.finding_marks import finding_marks
from opossum_desk.flow.layout.loom import layout_loom
from opossum_desk.flow.layout.strand_order import order_strands
from opossum_desk.flow.layout.strand_rows import gather_strands
from opossum_desk.flow.layout.strands import layout_strands
from opossum_desk.layout.row_picture import RowsView
from opossum_desk.pacing.layout.gathering import recurring
from opossum_desk.pacing.layout.pacing import layout_pacing
from opossum_desk.pacing.layout.pacing import stack_rows as stack_paced
from opossum_desk.pacing.layout.worst_first import paced_rows
from opossum_desk.report.pictures import Pictures
from opossum_desk.roster.layout.labels import stack_rows as stack_roster
from opossum_desk.roster.layout.listeners import RosterListeners
from opossum_desk.roster.layout.meant import meant_rows
from opossum_desk.roster.layout.roster import layout_roster
from opossum_desk.roster.layout.rows import roster_rows
from opossum_desk.state.axis import AxisMode
from opossum_desk.state.session import Session
from opossum_desk.take_area.layout.frame import layout_frame
from opossum_desk.take_area.layout.pulse import layout_overlay, layout_pulse
from opossum_desk.take_area.layout.story import story_html
from opossum_desk.take_area.layout.trail_list import layout_trail

WIDTH, HEIGHT, LABELS, LINE_PX = 800.0, 500.0, 200.0, 20.0
MOST_FINDINGS, MOST_CALLS = 6, 4
_VIEW = RowsView(WIDTH, HEIGHT, 0.0, LABELS, LINE_PX)


def show_everything(take: Take) -> None:
    """Check, examine and lay out a take as every view does."""
    check_take(take)
    blind_spots(take)
    findings = examine(take)
    session = Session(take)
    session.set_findings(findings)
    _show_views(session)
    for mode in AxisMode:
        session.set_axis_mode(mode)
        _show_views(session)
    for peer in range(min(3, len(take.peers))):
        session.set_peer(peer)
        _show_views(session)
    session.set_sieve("tick -oven via:zone frame:1-5 slow gone")
    session.set_hide_unmatched(True)
    _show_views(session)
    session.set_sieve("")
    for call in np.linspace(0, max(0, len(take.calls) - 1), MOST_CALLS).astype(int).tolist() if len(take.calls) else ():
        session.select_call(call)
        session.show_data(True)
        session.show_trail(call)
        if session.trail is not None:
            layout_trail(session, session.trail)
        layout_frame(session)
    pictures = Pictures(session)
    for finding in findings[:MOST_FINDINGS]:
        session.show_finding(finding)
        _show_views(session)
        finding_marks(session, layout_loom(session, WIDTH, HEIGHT, 0.0, LABELS))
        story_html(session, finding, "#000", "#777", "#c00")
        pictures.of(finding)


def _show_views(session: Session) -> None:
    session.settle()
    layout_loom(session, WIDTH, HEIGHT, 0.0, LABELS)
    strands = order_strands(session, gather_strands(session.take))
    layout_strands(session, [strand.row for strand in strands], WIDTH, HEIGHT, 0.0, LABELS)
    layout_frame(session)
    layout_overlay(session, layout_pulse(session, WIDTH, 96).scale)
    listeners = RosterListeners(session.take)
    rows = roster_rows(listeners, session, set(map(listeners.key_of_group, range(len(listeners.first_of_group)))))
    meant = meant_rows(listeners, rows, session.finding, session.findings)
    layout_roster(listeners, session, rows, stack_roster(listeners, rows, LINE_PX), _VIEW, meant)
    paced = paced_rows(session, recurring(session.take))
    layout_pacing(session, paced, stack_paced(paced, LINE_PX), _VIEW, set())
    overlaid = Overlaid(session.take)
    clips = clip_rows(overlaid, session)
    layout_clips(overlaid, session, clips, stack_clips(clips, LINE_PX), _VIEW, set())
