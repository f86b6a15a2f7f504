"""Files of extracts that come back: what the same extract comes to now."""

from __future__ import annotations

from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.proof.origin import Altered
from rulka.extracts.library.opening import seen_extracts
from rulka.extracts.library.storing import definition_of
from rulka.extracts.models import Extract
from rulka.extracts.output.making import left_of
from rulka.extracts.running.asked import ExtractReader, opened
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.shelves import RUN
from rulka.statements.output.origins import OriginKind, Page, Since, shelf_by_name
from rulka.work.models import LeftFile


def _since(left: LeftFile, page: Page, ledger: Ledger, fence: Fence, person: Person | None) -> Since:
    """How many rows the same extract gives now, and what its columns come to."""
    named = page["extract"], page["node"]
    extract = next((one for one in seen_extracts(ledger, None) if one.name == page["extract"]), None)
    if extract is None:
        return Since(*named, why="The extract was deleted.")
    if extract.body != page["bodies"]:
        return Since(*named, why="The extract was changed since.")
    if page["since"] is not None:
        return Since(*named, why="News are not told again; run the extract.")
    try:
        reader = ExtractReader(ledger, fence, page["period"], page["node"], person)
        with opened(definition_of(extract), reader, page["given"]) as asked:
            now = dict(left_of(asked, extract, reader, page["given"]).pages[0]["run"]["lines"])
    except RulkaError as error:
        return Since(*named, why=str(error))
    was = dict(page["run"]["lines"])
    moved = [
        Altered(name, "sum" if name != "rows" else "how many", "figure", was.get(name, "0"), now.get(name, "0"))
        for name in sorted(was.keys() | now.keys())
        if was.get(name) != now.get(name)
    ]
    return Since(*named, cells=moved)


KIND = OriginKind(shelf_by_name(Extract, "extract"), lambda page: RUN, lambda page: True, _since)
