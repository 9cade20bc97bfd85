"""What became of rules, as files that CI systems and editors read: JUnit XML and SARIF."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any
from xml.etree import ElementTree

import msgspec

from opossum.foreign_text import shown
from opossum.rules.checked import Outcome
from opossum.version import __version__

LEVELS = {"fault": "error", "waste": "warning", "risk": "warning", "note": "note"}
"""SARIF's levels for what a rule says it is."""

SARIF_SCHEMA = "https://json.schemastore.org/sarif-2.1.0.json"


def junit(outcomes: Sequence[Outcome], take: str, rules: str) -> bytes:
    """Return JUnit XML: a test case a rule, failed where it broke, skipped where it had no occasion."""
    broke = sum(outcome.broken > 0 for outcome in outcomes)
    silent = sum(not outcome.occasions for outcome in outcomes)
    suites = ElementTree.Element("testsuites")
    suite = ElementTree.SubElement(
        suites,
        "testsuite",
        name=shown(take),
        tests=str(len(outcomes)),
        failures=str(broke),
        skipped=str(silent),
        errors="0",
    )
    for outcome in outcomes:
        rule = outcome.rule
        case = ElementTree.SubElement(
            suite,
            "testcase",
            name=shown(rule.name),
            classname=shown(rule.section or take),
            file=rules,
            line=str(rule.line),
        )
        if outcome.broken:
            failure = ElementTree.SubElement(case, "failure", type=rule.severity, message=shown(summary(outcome)))
            lines = [rule.text, *(_place(item.frame, item.line, item.note) for item in outcome.breaks)]
            failure.text = "\n".join(shown(line) for line in lines)
        elif not outcome.occasions:
            ElementTree.SubElement(case, "skipped", message=shown(summary(outcome)))
    ElementTree.indent(suites)
    return ElementTree.tostring(suites, encoding="utf-8", xml_declaration=True)


def summary(outcome: Outcome) -> str:
    """Say in one line what became of a rule."""
    if outcome.broken:
        return f"broke {outcome.broken:,} of {outcome.occasions:,} times; first: {_place(*outcome.breaks[0])}"
    if outcome.occasions:
        return f"held {outcome.occasions:,} times"
    return "had no occasion" + (f": {outcome.hint}" if outcome.hint else "")


def _place(frame: int, line: int, note: str) -> str:
    where = f"frame {frame}" if frame >= 0 else "start-up"
    return f"{where}, line {line:,}: {note}"


def sarif(outcomes: Sequence[Outcome], take: str, rules: str) -> bytes:
    """Return SARIF 2.1.0: a result a rule that broke, at its line of the rule file, with the lines of the stream."""
    results: list[dict[str, Any]] = []
    described = []
    for number, outcome in enumerate(outcomes):
        rule = outcome.rule
        described.append(
            {
                "id": f"{rules}:{rule.line}",
                "name": rule.name,
                "shortDescription": {"text": rule.name},
                "fullDescription": {"text": rule.text},
                "defaultConfiguration": {"level": LEVELS[rule.severity]},
            }
        )
        if not outcome.broken:
            continue
        results.append(
            {
                "ruleId": f"{rules}:{rule.line}",
                "ruleIndex": number,
                "level": LEVELS[rule.severity],
                "message": {"text": f"{rule.name}: {summary(outcome)}"},
                "locations": [_location(rules, rule.line)],
                "relatedLocations": [
                    {**_location(take, item.line), "message": {"text": _place(*item)}} for item in outcome.breaks[:20]
                ],
                "occurrenceCount": outcome.broken,
            }
        )
    driver = {"name": "opossum", "version": __version__, "rules": described}
    log = {"$schema": SARIF_SCHEMA, "version": "2.1.0", "runs": [{"tool": {"driver": driver}, "results": results}]}
    return msgspec.json.format(msgspec.json.encode(log), indent=2)


def _location(file: str, line: int) -> dict[str, Any]:
    return {"physicalLocation": {"artifactLocation": {"uri": file}, "region": {"startLine": max(1, line)}}}
