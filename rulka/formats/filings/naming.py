"""Contexts and units of a report: each once, with a short name, in the order in which facts first need them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Any, Final

from lxml import etree

from rulka.core.filings.reported import ReportedTime

XBRLI: Final = "http://www.xbrl.org/2003/instance"
LINK: Final = "http://www.xbrl.org/2003/linkbase"
XLINK: Final = "http://www.w3.org/1999/xlink"
XBRLDI: Final = "http://xbrl.org/2006/xbrldi"
ISO4217: Final = "http://www.xbrl.org/2003/iso4217"
NAMES: Final = {"xbrli": XBRLI, "link": LINK, "xlink": XLINK, "xbrldi": XBRLDI, "iso4217": ISO4217}
Members = tuple[tuple[str, str], ...]


def clark(namespace: str, name: str) -> str:
    return f"{{{namespace}}}{name}"


@dataclass
class NamedFact:
    """The contexts and units of one report: for an `entity` (scheme, identifier), members standing `within` scenario or
    segment."""

    entity: tuple[str, str]
    within: str
    contexts: dict[tuple[ReportedTime, Members], str] = field(default_factory=dict)
    units: dict[str, str] = field(default_factory=dict)

    def context(self, time: ReportedTime, members: Members = ()) -> str:
        """The name of a context."""
        return self.contexts.setdefault((time, members), f"c{len(self.contexts) + 1}")

    def unit(self, unit: str) -> str:
        """The name of a unit."""
        return self.units.setdefault(unit, f"u{len(self.units) + 1}")

    def write(self, parent: Any) -> None:
        """Contexts, then units, into a report."""
        for (time, members), name in self.contexts.items():
            self._context(parent, name, time, members)
        for unit, name in self.units.items():
            node = etree.SubElement(parent, clark(XBRLI, "unit"), id=name)
            above, _, below = unit.partition("/")
            if below:
                divide = etree.SubElement(node, clark(XBRLI, "divide"))
                for side, measure in (("unitNumerator", above), ("unitDenominator", below)):
                    _said(etree.SubElement(divide, clark(XBRLI, side)), "measure", measure)
            else:
                _said(node, "measure", unit)

    def _context(self, parent: Any, name: str, time: ReportedTime, members: Members) -> None:
        node = etree.SubElement(parent, clark(XBRLI, "context"), id=name)
        entity = etree.SubElement(node, clark(XBRLI, "entity"))
        _said(entity, "identifier", self.entity[1]).set("scheme", self.entity[0])
        if members and self.within == "segment":
            _members(etree.SubElement(entity, clark(XBRLI, "segment")), members)
        period = etree.SubElement(node, clark(XBRLI, "period"))
        if time.first is None:
            _said(period, "instant", _day(time.last))
        else:
            _said(period, "startDate", _day(time.first))
            _said(period, "endDate", _day(time.last))
        if members and self.within != "segment":
            _members(etree.SubElement(node, clark(XBRLI, "scenario")), members)


def _day(day: date) -> str:
    return day.isoformat()


def _said(parent: Any, name: str, text: str) -> Any:
    node = etree.SubElement(parent, clark(XBRLI, name))
    node.text = text
    return node


def _members(parent: Any, members: Members) -> None:
    for axis, member in members:
        node = etree.SubElement(parent, clark(XBRLDI, "explicitMember"), dimension=axis)
        node.text = member


def qualified(name: str, namespaces: Mapping[str, str]) -> str:
    """A prefixed concept as the name of an element."""
    prefix, _, local = name.partition(":")
    return clark(namespaces[prefix], local)


def schema_reference(parent: Any, entry: str) -> None:
    """Which taxonomy a report follows."""
    node = etree.SubElement(parent, clark(LINK, "schemaRef"))
    node.set(clark(XLINK, "type"), "simple")
    node.set(clark(XLINK, "href"), entry)
