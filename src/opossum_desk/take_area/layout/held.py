"""What is told of a game while it is held: the call, why it came, its data, its stack. No Qt: it is only text."""

from __future__ import annotations

from opossum.foreign_text import shown_html
from opossum.stream.tables import JsonColumn
from opossum.take.chains import chain_of
from opossum.take.recording import parsed_list
from opossum.words import tr
from opossum_desk.state.session import Session

MOST_CAUSES = 12
MOST_STACK = 20
LONGEST_DATA = 600


def held_html(session: Session, call: int, wire: str, quiet: str, accent: str) -> str:
    """Return the page for a game held at `call` (-1: between calls); `wire` is its tripwire's text, if it was one."""
    take = session.take
    why = tr("Held at the tripwire {wire}", wire=f"<b>{shown_html(wire)}</b>") if wire else tr("Held, as asked")
    parts = [f'<p style="color:{accent};margin:0 0 6px 0">{why}</p>']
    if call < 0:
        row = len(take.frames) - 1
        number = int(take.frames.number[row]) if row >= 0 else -1
        frame = f"<b>{tr('frame {number}', number=number)}</b>"
        parts.append(
            f"<p>{tr('{frame} has just begun.', frame=frame) if number >= 0 else tr('Between two calls.')}</p>"
        )
    else:
        parts += [_call(session, call, quiet), _causes(session, call, quiet), _data(session, call, quiet)]
    parts.append(_stack(session, quiet))
    return "".join(parts)


def _call(session: Session, call: int, quiet: str) -> str:
    take = session.take
    function, owner = take.function_of_call(call), take.owner_of_call(call)
    frame = int(take.calls.frame[call])
    number = int(take.frames.number[frame]) if frame >= 0 else -1
    where = tr("frame {number}", number=number) if number >= 0 else tr("start-up")
    at = take.text(int(take.tables["call"]["at"][call]))
    place = f" · {shown_html(at)}" if at else ""
    gone = " " + tr("Its owner is gone.") if take.owner_gone[call] else ""
    who = tr(
        "{function} of {owner}",
        function=f'<a href="call:{call}"><b>{shown_html(function)}</b></a>',
        owner=shown_html(owner),
    )
    what = tr("for {event}", event=f"<b>{shown_html(take.event_of_call(call))}</b>")
    return f'<p style="margin:0">{who}{gone}</p><p style="margin:0 0 8px 0;color:{quiet}">{what} · {where}{place}</p>'


def _causes(session: Session, call: int, quiet: str) -> str:
    take = session.take
    chain = chain_of(take.calls.parent, call, MOST_CAUSES)[1:]
    lines = [f'<p style="margin:1px 0">{_cause(session, cause)}</p>' for cause in chain]
    first = chain[-1] if chain else call
    send = int(take.calls.send[first])
    via = take.via_of_send(send) if send >= 0 else tr("unknown")
    told = tr("sent by code outside any call") if via == "direct" else tr("came about by {via}", via=via)
    lines.append(f'<p style="margin:1px 0;color:{quiet}">{shown_html(take.event_of_call(first))} {told}</p>')
    return f'<p style="margin:6px 0 2px 0;color:{quiet}">{tr("Because of")}</p>' + "".join(lines)


def _cause(session: Session, call: int) -> str:
    take = session.take
    return tr(
        "{function} of {owner}, for {event}",
        function=f'<a href="call:{call}">{shown_html(take.function_of_call(call))}</a>',
        owner=shown_html(take.owner_of_call(call)),
        event=shown_html(take.event_of_call(call)),
    )


def _data(session: Session, call: int, quiet: str) -> str:
    send = int(session.take.calls.send[call])
    column = session.take.tables["send"].columns["d"]
    text = column[send] if send >= 0 and isinstance(column, JsonColumn) else ""
    if not text:
        return ""
    return f'<p style="margin:8px 0 2px 0;color:{quiet}">{tr("With the data")}</p><p style="margin:0">{shown_html(text[:LONGEST_DATA])}</p>'


def _stack(session: Session, quiet: str) -> str:
    held = session.take.tables["held"]
    stack = parsed_list(held.json("stack")[len(held) - 1]) if len(held) else []
    if not stack:
        return ""
    lines = "".join(f'<p style="margin:1px 0">{shown_html(line)}</p>' for line in stack[:MOST_STACK])
    return f'<p style="margin:8px 0 2px 0;color:{quiet}">{tr("The stack, innermost first")}</p>{lines}'
