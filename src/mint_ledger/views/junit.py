"""What `check` found as JUnit XML, which build servers read: one case a playtest and a target."""

from __future__ import annotations

import re
from collections.abc import Sequence
from xml.etree import ElementTree

from mint_ledger.balance.targets import Judged
from mint_ledger.plain import neutral
from mint_ledger.playing.playtests import PlaytestResult
from mint_ledger.views.balance_text import told, wanted

# What XML 1.0 cannot hold as well.
_UNHELD = re.compile("[\ufffe\uffff]")


def junit_text(title: str, results: Sequence[PlaytestResult], judged: Sequence[Judged]) -> str:
    """Two suites, playtests and targets; an undecided target is skipped, with the reason."""
    root = ElementTree.Element("testsuites", name=_clean(title))
    if results:
        _add_playtests(root, results)
    if judged:
        _add_targets(root, judged)
    for key in ("tests", "failures", "errors"):
        root.set(key, str(sum(int(suite.get(key, "0")) for suite in root)))
    ElementTree.indent(root)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(root, encoding="unicode") + "\n"


def _suite(
    root: ElementTree.Element, name: str, tests: int, failures: int, errors: int, skipped: int
) -> ElementTree.Element:
    suite = ElementTree.SubElement(root, "testsuite", name=name)
    for key, count in (("tests", tests), ("failures", failures), ("errors", errors), ("skipped", skipped)):
        suite.set(key, str(count))
    return suite


def _add_playtests(root: ElementTree.Element, results: Sequence[PlaytestResult]) -> None:
    stopped = sum(bool(result.stopped) for result in results)
    failed = sum(not result.passed for result in results) - stopped
    suite = _suite(root, "playtests", len(results), failed, stopped, 0)
    for result in results:
        case = ElementTree.SubElement(suite, "testcase", classname="playtests", name=_clean(result.name))
        if result.stopped:
            ElementTree.SubElement(case, "error", message=_clean(result.stopped), type="stopped")
        elif not result.passed:
            missed = [item for item in result.found if not item.held]
            text = "\n".join(
                f"{item.at}: expected {item.expected}; found: {item.values or 'that it does not hold'}"
                for item in missed
            )
            first = f"{missed[0].at}: expected {missed[0].expected}"
            ElementTree.SubElement(case, "failure", message=_clean(first), type="expectation").text = _clean(text)


def _add_targets(root: ElementTree.Element, judged: Sequence[Judged]) -> None:
    missed = sum(result.verdict == "missed" for result in judged)
    undecided = sum(result.verdict == "undecided" for result in judged)
    suite = _suite(root, "targets", len(judged), missed, 0, undecided)
    for result in judged:
        target = result.target
        how = ", ".join(filter(None, (result.habit, target.variant)))
        name = f"{target.name}{f' ({how})' if how else ''}"
        case = ElementTree.SubElement(suite, "testcase", classname="targets", name=_clean(name))
        line = f"expected {target.measure} of {wanted(target.measure, target.want)}; "
        line += f"found {told(target.measure, result.estimate)} in {result.estimate.runs:,} runs"
        if result.verdict == "missed":
            ElementTree.SubElement(case, "failure", message=_clean(line), type="target")
        elif result.verdict == "undecided":
            ElementTree.SubElement(case, "skipped", message=_clean(f"undecided: {line}; more runs tell"))
        else:
            ElementTree.SubElement(case, "system-out").text = _clean(line)


def _clean(text: str) -> str:
    return _UNHELD.sub("?", neutral(text))
