"""The colours of the two looks: warm paper by day, warm dark by night, one rose accent for what is wrong."""

from __future__ import annotations

from typing import NamedTuple


class Colours(NamedTuple):
    """One look's colours as #rrggbb. Text colours keep at least 4.5:1 on paper and panel, marks 3:1."""

    paper: str
    panel: str
    band: str
    line: str
    ink: str
    quiet: str
    faint: str
    rose: str
    rose_wash: str
    choice: str
    focus: str
    via: dict[str, str]


DAY = Colours(
    paper="#FBF7EE",
    panel="#F3ECDE",
    band="#F5EFE2",
    line="#DFD4C0",
    ink="#2A2420",
    quiet="#655B4F",
    faint="#74695C",
    rose="#B4234B",
    rose_wash="#F6DDDC",
    choice="#E6DAC2",
    focus="#785A1C",
    via={
        "tick": "#80766A",
        "direct": "#2A2420",
        "input": "#BF5510",
        "zone": "#00775A",
        "timer": "#08518C",
        "delay": "#267FB5",
        "clip": "#7E5600",
        "queue": "#9D7300",
        "net": "#75479B",
        "life": "#51702F",
        "clock": "#51702F",
    },
)

NIGHT = Colours(
    paper="#1F1B18",
    panel="#282320",
    band="#24201C",
    line="#413931",
    ink="#F0E7DB",
    quiet="#B9AD9D",
    faint="#9A8E80",
    rose="#FF8BA2",
    rose_wash="#4A2A30",
    choice="#40362B",
    focus="#E2B965",
    via={
        "tick": "#93887B",
        "direct": "#F0E7DB",
        "input": "#F29A55",
        "zone": "#45C39F",
        "timer": "#84BFF5",
        "delay": "#9CD3F5",
        "clip": "#D5A24A",
        "queue": "#E8C651",
        "net": "#C7A0EA",
        "life": "#A4C77C",
        "clock": "#A4C77C",
    },
)
