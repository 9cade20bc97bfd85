"""Write docs/findings.md from the catalogue: `python tools/write_findings.py`.

What each cause is and when it stays quiet stands with the cause; its example is what proves it in a small scene of the
tests, or in the bakery's night with that fault.
"""

from __future__ import annotations

import sys
import tempfile
from functools import cache
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests"))

from findings.scenes import FAULTS, built, clips, hearing, order, timing  # noqa: E402, F401
from moonrise_bakery.faults import FAULTS as BAKERY_FAULTS  # noqa: E402
from moonrise_bakery.night import record_night  # noqa: E402
from opossum.findings.catalogue import KINDS, all_thresholds  # noqa: E402
from opossum.findings.declaring import Cause, Kind  # noqa: E402
from opossum.findings.examine import examine  # noqa: E402
from opossum.findings.finding import Finding  # noqa: E402
from opossum.take.opening import open_any  # noqa: E402

HEAD = ROOT / "tools" / "findings-head.md"
MOST_LINES = 10
LONGEST_LINE = 160


def thresholds_table() -> list[str]:
    """Return the table of thresholds."""
    return [
        "| name | default | reason |",
        "|---|---|---|",
        *(f"| `{one.name}` | {one.default:g} {one.unit} | {one.reason} |" for one in all_thresholds().values()),
    ]


def cause_lines(cause: Cause) -> list[str]:
    """Return what is said of one cause, without its example."""
    return [f"### `{cause.name}` · {cause.severity.value}", "", cause.about, f"*Quiet:* {cause.quiet}"]


@cache
def example(kind: Kind, cause: Cause) -> tuple[Finding, list[str]] | None:
    """Return a finding of the cause and the lines of the stream that prove it."""
    for scene in FAULTS:
        if (scene.kind, scene.cause) == (kind.name, cause.name):
            stage, frames = built(scene.build, scene.stage)
            found = [one for one in stage.findings(frames) if (one.kind, one.cause) == (kind.name, cause.name)]
            return found[0], proof(found[0], stage.lines)
    if cause.name in BAKERY_FAULTS:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "night.flow.jsonl"
            record_night(path, [cause.name])
            take = open_any(str(path))
            for finding in examine(take):
                if (finding.kind, finding.cause) == (kind.name, cause.name):
                    return finding, proof(finding, path.read_text().splitlines())
    return None


def proof(finding: Finding, lines: list[str]) -> list[str]:
    """Return the stream's lines that prove a finding, in their order."""
    told = sorted({item.line for item in finding.evidence})[:MOST_LINES]
    texts = [lines[number - 1].replace('": ', '":').replace(', "', ',"') for number in told]
    return [text if len(text) <= LONGEST_LINE else text[: LONGEST_LINE - 1] + "…" for text in texts]


def main() -> None:
    """Write the page."""
    page = [HEAD.read_text().rstrip(), "", "## Thresholds", ""]
    page += ["Defaults; change them with `opossum findings --set NAME=VALUE`, or in `opossum.toml` (above).", ""]
    page += thresholds_table()
    for kind in KINDS:
        page += ["", f"## {kind.name} – {kind.title.lower()}", ""]
        page += [kind.question]
        for cause in kind.causes:
            page += ["", *cause_lines(cause)]
            shown = example(kind, cause)
            if shown is not None:
                finding, lines = shown
                page += ["", f"*Example:* {finding.summary}", "", "```json", *lines, "```", ""]
                page += [f"*To change:* {finding.advice}"]
    (ROOT / "docs" / "findings.md").write_text("\n".join(page) + "\n")


if __name__ == "__main__":
    main()
