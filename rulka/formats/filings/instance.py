"""Facts as an XBRL 2.1 instance."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from lxml import etree

from rulka.core.filings.facts import Fact, TextFact
from rulka.core.filings.taxonomy import Concepts
from rulka.formats.filings.naming import NAMES, XBRLI, NamedFact, clark, qualified, schema_reference


def instance(
    taxonomy: Concepts,
    entity: tuple[str, str],
    facts: Iterable[Fact],
    texts: Iterable[TextFact],
    words: Mapping[str, str],
    comment: str = "",
) -> bytes:
    """An instance; `words` are the texts by their concept, as they are reported."""
    named = NamedFact(entity, taxonomy.within)
    root = etree.Element(clark(XBRLI, "xbrl"), nsmap={**NAMES, **taxonomy.namespaces})
    if comment:
        root.append(etree.Comment(f" {comment.replace('--', '- -')} "))
    schema_reference(root, taxonomy.entry)
    place = len(root)
    for at, fact in enumerate(facts, 1):
        node = etree.SubElement(root, qualified(fact.concept, taxonomy.namespaces), id=f"f{at}")
        node.set("contextRef", named.context(fact.time, fact.members))
        node.set("unitRef", named.unit(fact.unit))
        node.set("decimals", str(fact.decimals))
        node.text = f"{fact.value:f}"
    for text in texts:
        node = etree.SubElement(root, qualified(text.concept, taxonomy.namespaces))
        node.set("contextRef", named.context(text.time))
        node.text = words[text.concept]
    holder = etree.Element("holder")
    named.write(holder)
    for at, node in enumerate(list(holder)):
        root.insert(place + at, node)
    tree = etree.ElementTree(root)
    etree.cleanup_namespaces(root, keep_ns_prefixes=[*NAMES, *taxonomy.namespaces])
    return bytes(etree.tostring(tree, xml_declaration=True, encoding="UTF-8", pretty_print=True))
