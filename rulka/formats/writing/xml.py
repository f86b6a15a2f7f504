"""Names and small pieces of word-processing markup (ECMA-376 part 1, 17)."""

from __future__ import annotations

from typing import Any, Final

from docx.oxml import OxmlElement
from docx.oxml.ns import qn

FIELDS: Final = ("PAGE", "NUMPAGES")


def element(name: str, **attributes: str) -> Any:
    """An element such as `w:tag` with attributes of the same space: `element("w:tag", val="x")`."""
    made = OxmlElement(name)
    space = name.partition(":")[0]
    for key, value in attributes.items():
        made.set(qn(f"{space}:{key.rstrip('_')}"), value)
    return made


def field(name: str) -> list[Any]:
    """The runs of a field that counts pages."""
    runs = []
    for part in ("begin", name, "end"):
        run = element("w:r")
        if part == name:
            text = element("w:instrText")
            text.set(qn("xml:space"), "preserve")
            text.text = f" {name} "
            run.append(text)
        else:
            run.append(element("w:fldChar", fldCharType=part))
        runs.append(run)
    return runs


def words_of(node: Any) -> str:
    """The text of a paragraph or run, tabs and breaks as spaces; text that was deleted under tracking isn't any."""
    found = []
    for one in node.iter():
        if one.tag == qn("w:t"):
            found.append(one.text or "")
        elif one.tag in (qn("w:tab"), qn("w:br"), qn("w:cr")):
            found.append(" ")
    return "".join(found)
