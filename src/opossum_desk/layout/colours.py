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
    rose="#B4234B",
    rose_wash="#F6DDDC",
    choice="#E6DAC2",
    focus="#7A5C1E",
    via={
        "tick": "#8B8073",
        "direct": "#2A2420",
        "input": "#BF5510",
        "zone": "#00775A",
        "timer": "#0B62A4",
        "delay": "#2C87BE",
        "clip": "#7E5600",
        "queue": "#A87B00",
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
    rose="#FF8BA2",
    rose_wash="#4A2A30",
    choice="#40362B",
    focus="#E2B965",
    via={
        "tick": "#9C9184",
        "direct": "#F0E7DB",
        "input": "#F29A55",
        "zone": "#45C39F",
        "timer": "#6FB3EE",
        "delay": "#9CD3F5",
        "clip": "#D5A24A",
        "queue": "#E8C651",
        "net": "#C7A0EA",
        "life": "#A4C77C",
        "clock": "#A4C77C",
    },
)
