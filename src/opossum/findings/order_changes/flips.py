"""Flips: two listeners of one phase and one send run in an order that differs from frame to frame."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from opossum.findings.declaring import Cause
from opossum.findings.finding import Found, Severity, Subject
from opossum.findings.links import FROM_STALE_CALLS
from opossum.findings.order_changes.pairs import FLIP_FRAMES, FLIP_SHARE, FLIP_SHARE_OF, Flip, flips, shares_value
from opossum.findings.scene import Scene
from opossum.findings.wording import at_place
from opossum.take.grouping import distinct, parted
from opossum.words import counted, tr


def find(scene: Scene) -> Iterator[Found]:
    """Yield pairs whose order flips, one finding for the pairs of two classes and functions."""
    found = scene.once(flips)
    if not found:
        return
    listeners = scene.take.listeners
    classes = scene.class_of_object
    first = np.array([flip.first for flip in found])
    second = np.array([flip.second for flip in found])
    columns = [values[side] for side in (first, second) for values in (listeners.function, listeners.event)]
    columns += [classes[listeners.owner[side]] for side in (first, second)]
    for part in parted(listeners.peer[first], *columns):
        yield _tell(scene, [found[place] for place in part.tolist()])


def _tell(scene: Scene, pairs: list[Flip]) -> Found:
    take, listeners = scene.take, scene.take.listeners
    one = pairs[0]
    calls = distinct(np.concatenate([flip.calls for flip in pairs]))
    firsts = calls[np.isin(take.calls.listener[calls], [flip.first for flip in pairs])]
    events = {take.text(int(listeners.event[side])) for side in (one.first, one.second)}
    owners = {int(listeners.owner[flip.first]) for flip in pairs}
    names = [take.text(int(listeners.owner[flip.first])) for flip in pairs[:1]]
    subject = scene.subject_of_calls(
        firsts,
        ev=take.text(int(listeners.event[one.first])),
        o=names[0] if len(owners) == 1 else "",
    )
    other = take.function_of_listener(one.second)
    frames = distinct(np.concatenate([flip.frames for flip in pairs]))
    usual, rare = sum(flip.usual for flip in pairs), sum(flip.rare for flip in pairs)
    share = usual / (usual + rare)
    of_frames = counted(usual + rare, "frame")
    if len(pairs) > 1:  # a frame counts for each pair that met in it
        of_frames = tr("{frames} of {pairs}", frames=of_frames, pairs=counted(len(pairs), "pair"))
    first_frame = take.frame_numbers(frames[:1])
    shared = next((text for flip in pairs[:20] if (text := shares_value(scene, flip))), "")
    other_owner = take.text(int(listeners.owner[one.second]))
    second_calls = calls[take.calls.listener[calls] == one.second]
    place = scene.place_of_call(int(second_calls[0])) if len(second_calls) else ""
    evidence = scene.evidence("call", calls[:6].tolist(), tr("in the rarer order"))
    named, other_named = _named(subject.function, other, names[0], other_owner, len(pairs))
    return Found(
        subject=subject,
        frame_rows=frames,
        count=len(frames),
        summary=tr(
            "{fn} ran before {other} in {share:.0%} of {frames} and after it in the rest{what}: nothing "
            "guarantees their order{what2}.",
            fn=named,
            other=other_named,
            share=share,
            frames=of_frames,
            what=tr(", first in frame {first_frame}", first_frame=first_frame[0]) if first_frame else "",
            what2=tr(", and {shared}", shared=shared) if shared else "",
        ),
        advice=_advice(subject, other, place),
        evidence=tuple(evidence),
        calls=calls,
        details=(
            tr(
                "The other is {other} of {other_owner}: {share:.0%} after, {value:.0%} before.",
                other=other,
                other_owner=other_owner,
                share=share,
                value=1 - share,
            ),
            *((tr("They meet in {pairs} of objects.", pairs=counted(len(pairs), "pair")),) if len(pairs) > 1 else ()),
        ),
        told_apart=(other, *sorted(events - {subject.ev})),
        rated=Severity.FAULT if shared else None,
    )


def _named(function: str, other: str, owner: str, other_owner: str, pairs: int) -> tuple[str, str]:
    """Return what the two are called: by their functions, or by their owners where it is one function."""
    if function != other:
        return function, other
    if pairs > 1:
        return tr("{fn} of one object", fn=function), tr("that of another")
    return tr("{fn} of {owner}", fn=function, owner=owner), tr("that of {owner}", owner=other_owner)


def _advice(subject: Subject, other: str, other_place: str) -> str:
    if subject.function == other:
        return tr(
            "Call the objects that have {fn}{place} in an order of your own, or let the first one send an event that "
            "the second listens to.",
            fn=other,
            place=at_place(subject.at),
        )
    return tr(
        "Put {fn}{place} and {other}{place2} into phases of their own, or let the first one send an "
        "event that the second listens to.",
        fn=subject.function,
        place=at_place(subject.at),
        other=other,
        place2=at_place(other_place),
    )


FLIPS = Cause(
    "flips",
    "in an order that nobody guarantees",
    Severity.RISK,
    find,
    (FLIP_FRAMES, FLIP_SHARE, FLIP_SHARE_OF),
    springs_from=FROM_STALE_CALLS,
    about="Two listeners of one send, or of ticks of one phase, that both change something run in an order that differs between frames. It is a fault where they share a watched value, or one is called for what the other sends.",
    quiet="an order that changed because one of the two was bound anew; phases that the head orders; beyond the 300 most restless pairs of a take.",
)
